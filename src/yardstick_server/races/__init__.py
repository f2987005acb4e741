"""Races: runs of a study side by side, and one taken along as a film."""
