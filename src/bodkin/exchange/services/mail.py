"""Messages to colleagues: a link that asks for sign-in, and never a word about a student."""

import smtplib
from email.message import EmailMessage

SECONDS = 10.0
SUBJECT = "Something was passed on to you in Bodkin"


def address_of(login: str, domain: str | None) -> str | None:
    """Where a person is written to: the login where it is an address, else one of the district's domain."""
    if "@" in login:
        return login
    return f"{login}@{domain}" if domain else None


def message(to: str, sender: str, link: str) -> EmailMessage:
    """The message: who it is from would tell little, whom it is about too much; it holds the link alone."""
    made = EmailMessage()
    made["To"], made["From"], made["Subject"] = to, sender, SUBJECT
    made.set_content(f"A colleague passed something on to you. Sign in to see it:\n\n{link}\n")
    return made


def send(server: str, made: EmailMessage) -> bool:
    """Hand a message to the mail server; False where it does not take it, which must not stop the act."""
    host, _, port = server.partition(":")
    try:
        with smtplib.SMTP(host, int(port or 25), timeout=SECONDS) as there:
            there.send_message(made)
    except (OSError, smtplib.SMTPException, ValueError):
        return False
    return True
