"""The description of an API (OpenAPI 3.1, or 3.0): written, and judged.

Private: what may be imported is `dutiful_gate.web`.
"""
