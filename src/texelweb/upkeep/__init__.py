"""What keeps an installation well over years: tidying, backing up, restoring."""
