"""Masters, blocks and variants."""
