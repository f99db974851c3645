"""File handles: each open file, connection of a device and connection to the database takes one.

Some systems give a process 256 of them unless it asks for more. A browser holds up to six
connections, so a class of 32 alone would use them up, and who comes last would not be let in.
"""

import contextlib

MOST = 8192  # more than a class and its runs ever need; some systems refuse a higher number


def take_handles(most: int = MOST) -> None:
    """Have the process take so many file handles as the system lets it, up to the number given.
    Where the system sets no such limit nothing is done."""
    try:
        import resource
    except ImportError:  # Windows
        return
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = most if hard == resource.RLIM_INFINITY else min(most, hard)
    if soft == resource.RLIM_INFINITY or soft >= wanted:
        return
    with contextlib.suppress(OSError, ValueError):  # then it stays at what it has
        resource.setrlimit(resource.RLIMIT_NOFILE, (wanted, hard))
