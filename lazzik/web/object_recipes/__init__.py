"""Recipes of objects: saved, put on others, and what an object follows laid open."""
