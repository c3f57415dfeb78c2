"""Work in the background: progress, cancel, retry."""
