"""Motion read: a recipe found in a measured curve."""
