"""A project and what counts for all of it: rules, record, views, space, build machines."""
