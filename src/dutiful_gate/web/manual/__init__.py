"""The manual of an API: one page, made of its endpoints, that can be read, printed and tried.

Private: what may be imported is `dutiful_gate.web`.
"""
