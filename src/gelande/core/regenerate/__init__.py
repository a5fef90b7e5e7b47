"""What is chosen with a control sheet: presets, variants, kept ground, figures of a land."""
