"""Nodes that keep a graph readable."""
