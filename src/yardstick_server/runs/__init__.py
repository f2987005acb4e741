"""Runs: queued, taken by a rig, measured, sealed."""
