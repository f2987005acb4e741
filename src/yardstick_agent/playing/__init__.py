"""Playing a session: inputs out, end conditions seen, stretches noted."""
