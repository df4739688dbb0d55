"""The window. It asks the core and shows answers; it computes nothing about media itself."""
