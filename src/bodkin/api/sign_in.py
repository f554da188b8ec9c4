"""What signing in rests on: cookies, passwords hashed a few at a time, and how many tries one has."""

import asyncio
import hashlib
import os
import threading
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from pathlib import Path
from typing import Any

from itsdangerous import BadSignature, URLSafeSerializer
from pwdlib import PasswordHash

from bodkin.core.errors import BadInput, BodkinError
from bodkin.store.settings import Settings

COOKIE = "bodkin"
KNOWN_COOKIE = "bodkin_known"
"""Says that this browser has signed a person in before, so that others' wrong tries do not lock it out."""
KNOWN_SECONDS = 180 * 24 * 3600

AT_ONCE = 1
"""Passwords hashed at the same time; each takes 64 MB and all the machine's cores for about a tenth of a second."""
QUEUE = 20
"""Passwords that may wait for their turn."""
TRIES_LOGIN_HERE, TRIES_LOGIN, TRIES_ADDRESS, TRIES_KNOWN = 8, 24, 60, 8
"""Failed tries a minute: for a login from one address, for a login, from one address, from a known browser."""
SHORTEST = 10
COMMON = frozenset(Path(__file__).with_name("common_passwords.txt").read_text().split())
"""Common passwords and the like of schools, in small letters (common practice; written down from memory)."""

_hasher = PasswordHash.recommended()
NOBODY = "$argon2id$v=19$m=65536,t=3,p=4$GhxZAZSa1XTcLVODb31BeA$vZKbe5I2RH50kvcDSxCD7bLTp/RBqrVKTU+HngW0iyY"
"""A hash of random bytes that nobody knows, made as passwords are: checked where no such login exists, so that the time
an answer takes tells nothing. Written down, since each start would spend a fifth of a second on it.
"""


class Busy(BodkinError):
    """Too many people sign in at this moment."""


class TooManyTries(BodkinError):
    """Too many wrong tries within the last minute."""


def hash_password(password: str) -> str:
    """A password as it is kept (argon2)."""
    return _hasher.hash(password)


def check_new_password(password: str, login: str, field: str = "new") -> None:
    """Raise BadInput for a password that is short, common, or holds the login."""
    plain = password.lower()
    if len(password) < SHORTEST:
        raise BadInput(f"{field}: choose at least {SHORTEST} characters")
    if plain in COMMON or len(set(plain)) < 4 or (len(login) > 3 and login.lower() in plain):
        raise BadInput(f"{field}: this password is easy to guess; choose another one")


def _let_others_go_first() -> None:
    # On Linux a thread has a priority of its own, and the threads it starts take it over.
    with suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), 10)


class PasswordDesk:
    """Looks at passwords, a few at a time; whoever finds the queue full is asked to come back."""

    def __init__(self) -> None:
        self._pool = ThreadPoolExecutor(AT_ONCE, "passwords", _let_others_go_first)
        self._waiting = 0

    async def fits(self, password: str, kept: str) -> bool:
        """Whether a password is the one kept. Raises Busy."""
        return bool(await self._run(_hasher.verify, password, kept))

    async def hashed(self, password: str) -> str:
        """A new password as it is kept. Raises Busy."""
        return str(await self._run(_hasher.hash, password))

    async def _run(self, work: Callable[..., Any], *given: str) -> Any:
        if self._waiting >= AT_ONCE + QUEUE:
            raise Busy("Many people are signing in. Try again in a moment.")
        self._waiting += 1
        try:
            return await asyncio.get_running_loop().run_in_executor(self._pool, work, *given)
        finally:
            self._waiting -= 1


def _short(*parts: str) -> str:
    return hashlib.sha256("\0".join(parts).encode()).hexdigest()[:40]


def buckets(login: str, address: str, known: str | None) -> Mapping[str, int]:
    """Under what a try is counted, and how many each may have; ``known`` is the id of a browser known for the login."""
    if known is not None:
        return {f"known {_short(known, login)}": TRIES_KNOWN}
    return {
        f"here {_short(login, address)}": TRIES_LOGIN_HERE,
        f"login {_short(login)}": TRIES_LOGIN,
        f"address {_short(address)}": TRIES_ADDRESS,
    }


def _signer(settings: Settings, salt: str) -> URLSafeSerializer:
    # The last of the keys signs; the earlier ones still read, so that a new key signs nobody out.
    return URLSafeSerializer(list(reversed(settings.secrets)), salt=salt)


def session_cookie(settings: Settings, token: str) -> str:
    """What the session's cookie holds."""
    return str(_signer(settings, "session").dumps(token))


def token_of(settings: Settings, cookie: str) -> str | None:
    """The token within a session's cookie; None for one that was not signed here."""
    try:
        token = _signer(settings, "session").loads(cookie)
    except BadSignature:
        return None
    return token if isinstance(token, str) else None


def known_cookie(settings: Settings, browser: str, login: str) -> str:
    """What tells a browser known for a login."""
    return str(_signer(settings, "known").dumps([browser, _short(login)]))


def known_browser(settings: Settings, cookie: str, login: str) -> str | None:
    """The id of a browser that is known for this login; None for any other."""
    try:
        browser, whose = _signer(settings, "known").loads(cookie)
    except (BadSignature, TypeError, ValueError):
        return None
    return str(browser) if whose == _short(login) else None
