"""The characters that Python calls blank."""

BLANKS = r"\t-\r\x1c-\x20\x85\xa0\u1680\u2000-\u200a\u2028\u2029\u202f\u205f\u3000"
"""What `str.strip` takes off and `\\s` matches, as the inside of a character class."""
