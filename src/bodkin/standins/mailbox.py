"""A simulated mail server: takes every message on loopback and shows them, so that nothing leaves the machine."""

from collections import deque
from email.message import Message
from email.policy import default
from typing import Any

from aiosmtpd.controller import Controller
from aiosmtpd.handlers import Message as Taking
from fastapi import APIRouter
from fastapi.responses import PlainTextResponse

MOST = 200


class Mailbox(Taking):
    """Holds the latest messages."""

    def __init__(self) -> None:
        super().__init__()
        self.messages: deque[str] = deque(maxlen=MOST)

    def handle_message(self, message: Message) -> None:
        """Keep a message as text."""
        self.messages.append(message.as_string(policy=default))


def listening(box: Mailbox, port: int) -> Any:
    """A mail server at work on a port of loopback; ``stop()`` ends it."""
    server = Controller(box, hostname="127.0.0.1", port=port)
    server.start()
    return server


def mailbox(box: Mailbox) -> APIRouter:
    """The messages, to read in a browser."""
    router = APIRouter(prefix="/mailbox")

    @router.get("", response_class=PlainTextResponse)
    def read() -> str:
        return "\n\n----\n\n".join(reversed(box.messages)) or "No messages yet."

    return router
