"""What the pixels themselves say."""
