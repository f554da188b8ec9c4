"""A file shown to the district's scanner before it is kept."""

import httpx

from bodkin.core.errors import BadInput, ServiceAway

SECONDS = 30.0


def check_scanned(address: str | None, content: bytes) -> bool:
    """Whether a scanner looked at a file; False where no scanner is set up.

    The scanner takes the content by POST at ``/scanner/scan`` and answers ``{"found": null}`` or what it found.
    Raises BadInput for what it finds something in, ServiceAway where it does not answer: then nothing is kept.
    """
    if address is None:
        return False
    try:
        with httpx.Client(base_url=address, timeout=SECONDS) as client:
            answer = client.post("/scanner/scan", content=content)
            answer.raise_for_status()
            found = answer.json()["found"]
    except (httpx.HTTPError, ValueError, KeyError, TypeError) as error:
        raise ServiceAway("The scanner does not answer, so the file was not kept. Try again later.") from error
    if found is not None:
        raise BadInput(f"content: the scanner found something in this file ({str(found)[:80]}); it was not kept")
    return True
