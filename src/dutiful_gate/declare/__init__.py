"""What a developer writes beside a type: subjects, rules, steps, marks, record rules, kinds."""
