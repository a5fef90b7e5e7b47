"""Gelande: node graphs that make landscapes, published for others to regenerate and deliver."""

__version__ = "0.1.0"
