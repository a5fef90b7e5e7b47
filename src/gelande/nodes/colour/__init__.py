"""Nodes that give ground its colours."""
