"""Speed figures: ``python -m bench``."""
