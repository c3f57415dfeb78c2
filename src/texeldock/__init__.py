"""The dock: the shipped stand-in for an engine's importer. It knows a delivered folder and a target's document, nothing else."""
