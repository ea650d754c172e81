"""For every suite: nothing is timed, and a run says the same twice; `--hypothesis-profile=search` looks further."""

from hypothesis import settings

settings.register_profile("search", deadline=None, print_blob=True)
settings.register_profile("same", deadline=None, derandomize=True)
settings.load_profile("same")
