"""Masters of the studio, their versions, and variants in projects."""
