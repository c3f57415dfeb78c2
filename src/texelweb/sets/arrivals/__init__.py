"""Files that come: looked at, taken in and sorted into sets."""
