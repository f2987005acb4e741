"""Makes rows of what holds them in another way: documents, spreadsheets, texts of words."""
