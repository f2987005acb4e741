"""Holds the judging against simulated runs and studies whose truth is known."""
