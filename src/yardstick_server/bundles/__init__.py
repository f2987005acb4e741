"""Bundles: a study as one file, written and read in the worker."""
