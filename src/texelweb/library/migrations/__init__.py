"""Migrations."""
