"""The version of the program, said once."""

__version__ = "0.1.0"
