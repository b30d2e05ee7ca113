"""Shapes to Python source, and source to functions."""
