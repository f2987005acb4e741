"""Subjects, fixtures, rigs and what they may start."""
