"""Records from and to files: logs of other instruments come in, runs go out."""
