"""Watched folders: files that arrive in a root are registered, and taken in, without anybody's hand.

``models``     the folders, and every file seen in them
``settling``   has a file come whole?
``services``   one look at a folder, and what follows from it
``tasks``      the periodic task that looks
"""
