"""Reading draft files."""
