"""Bringing materials in from the depot: asking it, fetching from it, and keeping its terms."""
