"""Packages, manifests, receipts."""
