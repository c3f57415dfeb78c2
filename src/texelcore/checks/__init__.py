"""Rules that return findings."""
