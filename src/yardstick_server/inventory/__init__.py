"""Subjects with their variants, rigs with their facts, fixtures."""
