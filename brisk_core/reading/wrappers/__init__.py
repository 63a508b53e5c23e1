"""Structure of wrappers, one module a format, each from its standard; ``signatures`` tells which one a file is."""
