"""The report of a study: one document, from which every form of it is written."""
