"""Reports: gathered from the study, arranged by persons, issued, and written in every form."""
