"""Commands for those who carry on: they check, test and picture the project itself."""
