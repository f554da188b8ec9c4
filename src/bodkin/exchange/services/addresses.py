"""Where Bodkin may fetch from: services elsewhere, not this machine and what only it can reach."""

import ipaddress
import socket
from urllib.parse import urlsplit

from bodkin.core.errors import ServiceAway


class NoSuchService(ServiceAway):
    """An address that is not fetched from, or that nothing answers at; the two are never told apart."""

    def __init__(self, address: str) -> None:
        super().__init__(
            f"No rostering service answers at {address}. Check the address; Bodkin does not fetch from its own machine."
        )


def _elsewhere(address: str) -> bool:
    ip = ipaddress.ip_address(address.partition("%")[0])
    mapped = getattr(ip, "ipv4_mapped", None) or ip
    return not (
        mapped.is_loopback or mapped.is_link_local or mapped.is_unspecified or mapped.is_multicast or mapped.is_reserved
    )


def check_elsewhere(address: str, allowed: str | None) -> None:
    """Raise NoSuchService for an address of this machine or of its link, unless it is the one allowed."""
    if allowed is not None and address == allowed:
        return
    try:
        parts = urlsplit(address)
        found = socket.getaddrinfo(parts.hostname, parts.port or 443, type=socket.SOCK_STREAM)
    except (OSError, ValueError):
        raise NoSuchService(address) from None
    if not found or not all(_elsewhere(str(one[4][0])) for one in found):
        raise NoSuchService(address)
