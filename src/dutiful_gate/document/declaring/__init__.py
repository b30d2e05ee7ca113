"""Documents as declarations: readable Python that judges the same."""
