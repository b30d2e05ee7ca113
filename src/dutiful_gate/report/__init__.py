"""What is told: faults, verdicts, their wording, and the forms they are sent in."""
