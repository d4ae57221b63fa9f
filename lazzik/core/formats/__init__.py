"""Open formats: those that scenes are taken away in (`registry`), and those that files come in as (`importer`)."""
