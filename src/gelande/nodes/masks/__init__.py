"""Nodes that say where."""
