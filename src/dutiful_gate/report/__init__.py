"""What is told: faults, verdicts, their wording, and the forms they are sent in.

Private: what may be imported is the package itself, and the modules that the README names.
"""
