"""Pure numeric functions on arrays. They know nothing of nodes, recipes or windows."""
