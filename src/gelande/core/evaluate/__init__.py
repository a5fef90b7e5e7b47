"""How a recipe is computed: keys, plans, stages, threads, stored results."""
