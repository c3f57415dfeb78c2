"""The computation of Fair Texel: NumPy in and out. No Django, no HTTP, no database, no clock."""
