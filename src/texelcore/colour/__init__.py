"""Colour mathematics, one operation a module."""
