"""Recorded streams: stored in chunks, served at any zoom."""
