"""HTML forms of declared records: what is asked for, what was typed, and every fault under its field.

Private: what may be imported is `dutiful_gate.web`.
"""
