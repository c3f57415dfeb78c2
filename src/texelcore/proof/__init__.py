"""Encode, decode with another library than the encoder's, measure, compare."""
