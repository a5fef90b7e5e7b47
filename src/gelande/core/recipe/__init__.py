"""What a recipe is: its graph, settings, controls and choices, and how it is read and written."""
