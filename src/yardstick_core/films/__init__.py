"""Films: what a file holds, single pictures of it, and films made of runs."""
