"""The native core: plans for it, what loads them, and a reader of the same plans in Python.

The core (`native/` of the repository, a distribution of its own) admits only what is surely sound. At any doubt it says
so, and the telling function judges: there is one judge of faults.
"""
