"""What a developer writes beside a type: subjects, rules, steps, marks, record rules, kinds.

Private: what may be imported is the package itself, and the modules that the README names.
"""
