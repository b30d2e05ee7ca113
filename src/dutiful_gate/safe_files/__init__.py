"""Files that are made: each belongs to one run, and leads nowhere else.

Private: what may be imported is the package itself, and the modules that the README names.
"""
