"""The studio's targets."""
