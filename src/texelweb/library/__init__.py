"""The studio's library: targets as versioned documents, and which version each project has taken."""
