"""Headers of coded streams, one module a codec, each from its standard. They know nothing of wrappers."""
