"""Source files, arrivals, texture sets and their ledgers."""
