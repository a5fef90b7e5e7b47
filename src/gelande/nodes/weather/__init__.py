"""Nodes that simulate what time does."""
