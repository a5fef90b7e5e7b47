"""Readers and writers of open formats, the build of a delivery and its manifest."""
