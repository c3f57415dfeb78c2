"""Projects as documents: exported whole, and taken in."""
