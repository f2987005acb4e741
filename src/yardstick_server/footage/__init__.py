"""Films from elsewhere: looked through, marked by a person, kept as runs."""
