"""What a recipe is and how it is evaluated. No node, no file format, no window."""
