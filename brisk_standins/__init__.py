"""The outside world in small: stand-ins for those who take files, for demonstration and tests.

Each is a process of its own on loopback, speaks the real protocol, has a small page with its state, and faults that can
be switched on there. ``intake`` is a broadcaster's intake (a folder with manifests and signed receipts), ``deck`` a
playout deck (FTP, and a line protocol for its list), ``site`` an upload site (tus over HTTP) that makes ``copies`` of
its own, ``player`` a disc player that walks a disc by keys over HTTP. They know nothing of the house.
"""

import warnings

# The FTP server's package stands on modules that Python 3.12 no longer has; it brings its own there.
warnings.filterwarnings("ignore", message="The asyn(core|chat) module is deprecated", category=DeprecationWarning)
