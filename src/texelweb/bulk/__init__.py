"""Long work on many sets at once: one job, with progress and an outcome for each set."""
