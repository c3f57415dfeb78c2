"""The API: routers, schemas and errors."""
