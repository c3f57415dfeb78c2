"""Signing in and who may do what."""
