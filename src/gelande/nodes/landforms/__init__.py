"""Nodes that make land from nothing."""
