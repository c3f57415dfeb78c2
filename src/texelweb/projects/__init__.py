"""Projects and their members."""
