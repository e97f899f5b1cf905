"""How passwords are kept: Argon2id with 46 MiB, one pass, one lane.

One of the equal settings that the usual advice names as the least for servers; the framework's own takes 100 MiB and eight lanes, so that
a handful of guesses at one time takes a small server's memory and both its processors from who is at work.
"""

from django.contrib.auth.hashers import Argon2PasswordHasher


class Argon2(Argon2PasswordHasher):
    """memory_cost: KiB. What was kept with other settings is read, and kept anew at the next log-in."""

    time_cost = 1
    memory_cost = 47_104
    parallelism = 1
