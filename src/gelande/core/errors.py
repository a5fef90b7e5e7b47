"""Errors that are shown to people: each is one sentence saying what, where and what to do."""


class GelandeError(Exception):
    """Base of every error whose text may be shown as it is."""


class RecipeError(GelandeError):
    """A recipe file or an edit of a recipe is not valid."""


class NodeError(GelandeError):
    """A node could not compute its result."""

    def __init__(self, node_id: str, node_name: str, reason: str):
        super().__init__(f"{node_name}: {reason}")
        self.node_id = node_id
        self.node_name = node_name
        self.reason = reason


class DeliveryError(GelandeError):
    """A deliverable could not be written or read back."""


class Stopped(Exception):
    """The work was stopped because somebody asked for it or newer work replaced it."""
