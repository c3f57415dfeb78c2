"""The record: what people did, step by step, and taking it back."""
