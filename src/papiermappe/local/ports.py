"""Free ports on loopback."""

import socket

HOST = "127.0.0.1"


def is_free(port: int) -> bool:
    """Whether nothing listens on a port."""
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((HOST, port))
        except OSError:
            return False
    return True


def free_run(count: int = 1, start: int = 20_000, stop: int = 32_000) -> int:
    """Return the first of `count` consecutive free ports, below the ephemeral range."""
    for port in range(start, stop, count):
        if all(is_free(port + at) for at in range(count)):
            return port
    raise OSError("no free ports on loopback")
