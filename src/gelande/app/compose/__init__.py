"""The Compose workspace: graph, cards, search, bench."""
