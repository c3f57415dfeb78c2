"""Deliveries: what was written out for a target, and what the dock answered."""
