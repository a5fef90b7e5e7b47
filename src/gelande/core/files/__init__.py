"""How files are read and written so that nothing is half done, and text that comes from outside."""
