"""Nodes that change the form of a height."""
