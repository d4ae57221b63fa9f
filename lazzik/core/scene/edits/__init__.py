"""Edits: what can be done to a scene, a file for each thing that is edited. `every` knows all of them."""
