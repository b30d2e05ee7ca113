"""A gate and its document run against each other on generated data, under the three laws of equivalence.

Private: what may be imported is the package itself, and the modules that the README names.
"""
