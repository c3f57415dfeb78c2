"""Management."""
