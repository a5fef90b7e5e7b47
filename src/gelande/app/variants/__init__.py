"""The Variants workspace: control sheet, sheet of variants, figures."""
