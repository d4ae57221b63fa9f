"""Motion read: a recipe found in a curve."""
