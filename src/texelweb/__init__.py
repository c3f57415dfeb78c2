"""The Django project: accounts, projects, storage, jobs, API."""
