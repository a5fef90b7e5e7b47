"""The window (PyQt6). Calls core and deliver; is called by nothing but the command line."""
