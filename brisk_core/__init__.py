"""The computation of Brisk Sentry: reading, measuring, judging and planning, without Django, database, HTTP or clock.

From the ground up: ``version``, ``errors``, ``exact``, ``facts``, ``reading``, ``packets``, ``sandbox``, ``edit``,
``spec``, ``report``, ``cli``; ``samples`` and ``small_media`` stand beside them
and make media: the demonstration, and small files with known properties for tests and benchmarks.
"""

import os

# Work is spread over processes, one for each core; threads that a library starts by itself only wait for each other.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
