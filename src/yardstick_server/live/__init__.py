"""Live events: told through PostgreSQL, sent to browsers as server-sent events."""
