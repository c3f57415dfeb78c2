"""The project document: all that decides a project's bytes, and how it meets a folder of files."""
