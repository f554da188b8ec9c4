"""Secrets of other systems, sealed with keys that lie beside the database and not in it."""

from dataclasses import dataclass
from pathlib import Path

from cryptography.fernet import Fernet, InvalidToken, MultiFernet

from bodkin.core.errors import BadInput

MARK = "sealed:"
"""What a sealed secret begins with; one without it is from before secrets were sealed."""


@dataclass(frozen=True, slots=True)
class Vault:
    """Seals and opens with the keys of a file, one a line, the newest first; made where there is none.

    Source of the seal: Fernet (AES-128-CBC with HMAC-SHA256), as the package cryptography has it.
    """

    path: Path

    def _keys(self) -> MultiFernet:
        if not self.path.exists():
            self.path.parent.mkdir(parents=True, exist_ok=True)
            self.path.touch(mode=0o600)
            self.path.write_text(Fernet.generate_key().decode() + "\n")
        return MultiFernet([Fernet(key) for key in self.path.read_text().split()])

    def seal(self, secret: str) -> str:
        """A secret as it may lie in the database."""
        return MARK + self._keys().encrypt(secret.encode()).decode()

    def open(self, kept: str) -> str:
        """The secret again. Raises BadInput where it was sealed with a key that is gone."""
        if not kept.startswith(MARK):
            return kept
        try:
            return self._keys().decrypt(kept.removeprefix(MARK).encode()).decode()
        except InvalidToken:
            raise BadInput("This secret was sealed on another machine; add the service again.") from None
