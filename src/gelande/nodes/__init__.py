"""The node catalogue: one file a node, found by walking this package."""
