"""The Deliver workspace: the table of deliverables and what their numbers mean."""
