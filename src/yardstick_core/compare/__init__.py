"""Differences between variants: intervals, verdicts and the words for them."""
