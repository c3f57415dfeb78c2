"""The demo world: seeded pictures of an invented studio, Thistledown Works."""
