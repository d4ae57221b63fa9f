"""The shelf: what is kept across scenes."""
