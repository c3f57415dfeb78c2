"""What goes out, and the depot that things come from."""
