"""Studies: the question, the variants, the session script and the rounds."""
