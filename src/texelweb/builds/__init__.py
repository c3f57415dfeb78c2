"""Builds of a set for a target, and their outputs."""
