"""Normal-map mathematics, one operation a module."""
