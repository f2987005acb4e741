"""The one command: sets up what is missing, then hands over. Standard library only."""
