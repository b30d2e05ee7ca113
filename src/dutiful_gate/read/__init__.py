"""Raw text to plain values, with limits and positions.

Private: what may be imported is the package itself, and the modules that the README names.
"""
