"""The notches of a study, one module each."""
