"""Land as it is seen: cameras, lit scenes and pictures of them, colours of what is shown. No window."""
