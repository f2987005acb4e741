"""Drawing the cloth."""
