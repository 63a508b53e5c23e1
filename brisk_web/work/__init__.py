"""The kernel of everything that runs in the background.

``models``   the row of a piece of work: state, fence, progress; pauses of queues
``kernel``   kinds of work, claiming, fenced writes, hand-over between stages, ends, cancelling
``sweep``    finds every row that waits without a task or runs without a heartbeat, and what registered menders mend
``pausing``  beginning nothing new from a queue, and going on
``tidying``  what nobody needs any more: shown before it goes, and removed every hour
``tasks``    the periodic tasks that sweep and tidy

Rows are the truth; a task of the queue is only a knock on the door. A lost task is found by the sweep, a doubled one
does nothing.
"""
