"""The whole house in one folder, and back: database, media that were brought, what was measured, secrets.

``manifest``   what a backup holds, with the checksum of every file
``making``     making one while the house runs
``restoring``  bringing one back into an empty house
"""
