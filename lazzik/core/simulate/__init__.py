"""Simulation: what is worked out step by step from what was before."""
