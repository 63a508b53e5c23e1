"""The kernel of everything that runs in the background.

``models``   the row of a piece of work: state, fence, progress
``kernel``   kinds of work, claiming, fenced writes, hand-over between stages, ends, cancelling
``sweep``    finds every row that waits without a task or runs without a heartbeat, and what registered menders mend
``tasks``    the periodic task that sweeps

Rows are the truth; a task of the queue is only a knock on the door. A lost task is found by the sweep, a doubled one
does nothing.
"""
