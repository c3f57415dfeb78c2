"""One image type, its readers and writers, and strips."""
