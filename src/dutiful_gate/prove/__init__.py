"""A gate and its document run against each other on generated data, under the three laws of equivalence."""
