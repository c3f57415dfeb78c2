"""The studio: which projects there are, and who belongs to which."""
