"""Bytes by hash, and the guarded look into untrusted files."""
