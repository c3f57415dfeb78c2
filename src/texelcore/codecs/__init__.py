"""Block compression and containers."""
