"""Passwords: Argon2id at the least of the settings that OWASP's Password Storage Cheat Sheet gives (19 MiB, 2, 1).

The library's own default takes 100 MB for every try: some tries at once would take the house down.
"""

from django.contrib.auth.hashers import Argon2PasswordHasher


class Argon2(Argon2PasswordHasher):
    """Argon2id that takes 19 MiB."""

    memory_cost = 19 * 1024
    time_cost = 2
    parallelism = 1
