"""A simulated scanner of files: finds the harmless test pattern that scanners are tried with, and nothing else."""

from fastapi import APIRouter, Request

PATTERN = b"EICAR" + b"-STANDARD-ANTIVIRUS-" + b"TEST-FILE"
"""The middle of the test pattern published by EICAR (from memory)."""


def scanner() -> APIRouter:
    """The service: takes a file, says what it found."""
    router = APIRouter(prefix="/scanner")

    @router.post("/scan")
    async def scan(request: Request) -> dict[str, str | None]:
        return {"found": "test pattern" if PATTERN in await request.body() else None}

    return router
