"""What a job does when something outside of it is away for a moment: it is tried again, a little later each time."""

from django.db import InterfaceError, OperationalError
from procrastinate import JobContext, RetryStrategy

from studio.storage import is_full

MOST_ATTEMPTS = 5
"""How often a job is tried again: after 2, 4, 8, 16 and 32 seconds."""


class TryAgain(Exception):
    """The job's row is kept as waiting, and the job is to be run again in a moment."""


RETRY = RetryStrategy(
    max_attempts=MOST_ATTEMPTS, exponential_wait=2, retry_exceptions=(TryAgain, OperationalError, InterfaceError)
)


def is_passing(error: BaseException) -> bool:
    """Whether an error is likely to be gone in a moment: a database, a bucket or a mail server that is away."""
    if is_full(error):
        return False
    if isinstance(error, OperationalError | InterfaceError | ConnectionError | TimeoutError):
        return True
    # The bucket's library is an extra: its errors are known by their names.
    said = getattr(error, "response", None)
    status = said.get("ResponseMetadata", {}).get("HTTPStatusCode", 0) if isinstance(said, dict) else 0
    names = {kind.__name__ for kind in type(error).__mro__}
    return bool(names & {"HTTPClientError", "SMTPServerDisconnected", "SMTPConnectError"}) or status >= 500


def has_attempts_left(context: JobContext) -> bool:
    """Whether the job would be run again if it raised TryAgain now."""
    return context.job.attempts < MOST_ATTEMPTS
