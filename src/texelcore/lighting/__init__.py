"""Light from all around, the formulas of its reflection, and pictures of lit surfaces."""
