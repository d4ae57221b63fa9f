"""Cloth laid open: what it is made of, where it is held, what moves it."""
