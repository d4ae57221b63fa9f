"""A swarm laid open: what it fills, what moves it, how it is drawn."""
