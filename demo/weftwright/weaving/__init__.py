"""Weaving a draft to a picture file."""
