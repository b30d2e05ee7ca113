"""The hub: a small tree of frozen nodes that says what a type is, and the way from annotations to it."""
