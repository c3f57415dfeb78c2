"""Meshes of sets and models of projects."""
