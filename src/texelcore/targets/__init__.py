"""The target document and the targets that ship."""
