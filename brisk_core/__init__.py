"""The computation of Brisk Sentry: reading, measuring, judging and planning, without Django, database, HTTP or clock.

From the ground up: ``version``, ``errors``, ``exact``, ``facts``, ``reading``, ``packets``, ``sandbox``, ``edit``,
``spec``, ``report``, ``cli``; ``samples`` stands beside them and makes the demonstration media.
"""
