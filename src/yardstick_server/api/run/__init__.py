"""One run, its trace, findings and rehearsals."""
