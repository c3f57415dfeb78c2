"""Surface properties derived from other properties, one operation a module."""
