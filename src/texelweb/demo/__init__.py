"""Loading the demo world."""
