"""What the command line ends with."""

DONE, FOUND, UNUSABLE = 0, 1, 2
