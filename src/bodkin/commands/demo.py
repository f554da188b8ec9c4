"""The commands demo and serve."""

import shutil
import sys
import time
from collections.abc import Sequence
from dataclasses import replace
from datetime import date
from pathlib import Path

from sqlalchemy import select

from bodkin.commands import client, serving
from bodkin.commands.client import want_client, want_types
from bodkin.store.database import Store
from bodkin.store.settings import Settings, from_environment
from bodkin.store.tables import Person
from bodkin.store.vault import Vault

DEMO_DAY = date(2027, 2, 12)
STUDENT_SYSTEM = "Student system (simulated)"


def demo_settings(today: date | None = None) -> Settings:
    """Settings of the demo: a folder of its own, and a day that is today for good, the demo's where none is given."""
    base = from_environment()
    return replace(base, folder=base.folder / "demo", pinned=today or base.pinned or DEMO_DAY)


def own_settings() -> Settings:
    """Settings of one's own data."""
    base = from_environment()
    return replace(base, folder=base.folder / "own")


def _known_as(settings: Settings, hosts: Sequence[str]) -> Settings:
    """Settings with more names under which a proxy on this machine asks."""
    named = tuple(host.strip().lower() for host in hosts)
    return replace(settings, hosts=(*settings.hosts, *named))


def _say(text: str) -> None:
    print(text, file=sys.stderr, flush=True)


def prepare_demo(store: Store) -> None:
    """Load the invented district where nothing is there yet."""
    from bodkin.api.sign_in import hash_password
    from bodkin.demo.loading.load import is_empty, load_demo

    with store.reading() as session:
        if not is_empty(session):
            return
    _say("Loading the invented district ...")
    began = time.monotonic()
    with store.writing(scores=True) as session:
        load_demo(session, hash_password)
    _say(f"  done in {time.monotonic() - began:.0f} s")


def prepare_stand_ins(store: Store, roster: Path, address: str, vault: Vault) -> None:
    """Write the roster that the simulated service has, and say where the service is."""
    from bodkin.demo.district import YEARS
    from bodkin.demo.next_roster import next_roster
    from bodkin.exchange.oneroster.files import write_package
    from bodkin.exchange.oneroster.package_out import oneroster_tables
    from bodkin.standins.app import CLIENT_ID, CLIENT_SECRET
    from bodkin.store.writes.setup import add_source, all_sources, change_source

    if not roster.exists():
        with store.reading() as session:
            frames = oneroster_tables(session, results=False)
        roster.parent.mkdir(parents=True, exist_ok=True)
        roster.write_bytes(write_package(next_roster(frames, YEARS[-1]), "Invented student system"))
    with store.writing(scores=False) as session:
        known = {one.name: one for one in all_sources(session)}.get(STUDENT_SYSTEM)
        if known is None:
            add_source(
                session, name=STUDENT_SYSTEM, address=address, client_id=CLIENT_ID,
                client_secret=vault.seal(CLIENT_SECRET), at_hour=None,
            )  # fmt: skip
        elif known.address != address:
            change_source(session, known.id, at_hour=known.at_hour, address=address)


def prepare_samples(store: Store, settings: Settings, roster: Path) -> None:
    """Write the sample files, and who signs in with one click."""
    from bodkin.demo.samples import write_people, write_samples

    if not (settings.samples / "index.json").exists():
        with store.reading() as session:
            write_samples(session, settings.samples, roster.read_bytes())
    write_people(settings.demo_file)


def run_demo(port: int, *, fresh: bool, hosts: Sequence[str] = (), today: date | None = None) -> None:
    """Everything with demo data; ``today``: the day to take for today."""
    from bodkin.demo.district import NAME, PASSWORD, SIGN_INS

    settings = demo_settings(today)
    serving.check_port(port)
    want_client()
    if fresh:
        _remove(settings.folder)
    beside = serving.free_port_after(port)
    address = beside_address = f"http://127.0.0.1:{beside}/"
    roster = settings.folder / "standins" / "roster.zip"
    mail_port = serving.free_port_after(beside)
    settings = replace(
        settings, standins=address, mail=f"127.0.0.1:{mail_port}", mail_domain="sallow-reach.example"
    )  # fmt: skip
    settings = _known_as(settings, hosts)

    def prepare(store: Store) -> None:
        prepare_demo(store)
        prepare_stand_ins(store, roster, address, settings.vault)
        prepare_samples(store, settings, roster)

    def announce(address: str) -> None:
        print(f"\nBodkin is ready: {address}")
        print(f"{NAME} (invented), {settings.pinned:%d %B %Y}. Sign in with password {PASSWORD} as one of:")
        for login, name, role in SIGN_INS:
            print(f"  {login:<11} {name}, {role.replace('_', ' ')}")
        print(f"Messages to colleagues arrive at {beside_address}mailbox")
        print("Ctrl-C stops it; the data stay. ./bodkin demo --fresh starts over.", flush=True)

    serving.run(settings, port, prepare, announce, lambda: serving.stand_ins(roster, beside, mail_port))


def run_dev(port: int) -> None:
    """The demo for its developers: the server starts again when its code changes, the client is drawn anew."""
    settings = demo_settings()
    serving.check_port(port)
    want_types()
    client_port = serving.free_port_after(port)

    def announce(address: str) -> None:
        print(f"\nServer with reload: {address}")
        print(f"Client with reload: http://127.0.0.1:{client_port}/  (Ctrl-C stops both)", flush=True)

    serving.run(
        settings, port, prepare_demo, announce, lambda: client.development_server(client_port, port), reload=True
    )


def run_serve(port: int, *, hosts: Sequence[str] = ()) -> None:
    """Everything without demo data."""
    settings = _known_as(own_settings(), hosts)
    serving.check_port(port)
    want_client()
    nobody = False

    def prepare(store: Store) -> None:
        nonlocal nobody
        with store.reading() as session:
            nobody = session.scalar(select(Person.id).where(Person.login.is_not(None)).limit(1)) is None

    def announce(address: str) -> None:
        print(f"\nBodkin is ready: {address}")
        if nobody:
            print("Nobody can sign in yet. In another terminal, make the first person:")
            print('  ./bodkin person --login coach --name "Your name" --role coach')
        print("Ctrl-C stops it; the data stay.", flush=True)

    serving.run(settings, port, prepare, announce)


def _remove(folder: Path) -> None:
    """Remove the demo's folder, which holds nothing but what the demo made."""
    if folder.name == "demo" and folder.exists():
        shutil.rmtree(folder)
