"""Raw text to plain values, with limits and positions."""
