"""Everything that is asked over HTTP: who may ask what, and how it is answered."""
