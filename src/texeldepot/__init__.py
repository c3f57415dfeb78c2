"""The depot: our stand-in for a scanned-material library. A server of its own that knows nothing of the application."""
