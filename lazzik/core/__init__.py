"""The motion engine: documents, layers, evaluation, baking and formats. No database, no HTTP, no templates."""
