"""The hub: a small tree of frozen nodes that says what a type is, and the way from annotations to it.

Private: what may be imported is the package itself, and the modules that the README names.
"""
