"""`./pocket user ...`: who may come in."""

from __future__ import annotations

import argparse
import os
import sys

from sqlalchemy import select

from easy_pocket.core.errors import PocketError
from easy_pocket.home.folder import LaunchError, home_folder
from easy_pocket.home.shelf import open_shelf
from easy_pocket.store.database import Database
from easy_pocket.store.people.accounts import invite, people
from easy_pocket.store.people.leaving import remove_person
from easy_pocket.store.people.sign_ins import sign_device_out
from easy_pocket.store.schema.people_tables import PersonRow

HERE = "http://127.0.0.1:8000"


def add(database: Database, name: str) -> None:
    """An account, or a new invitation for one that is there."""
    with database.transaction() as session:
        row, invitation = invite(session, name)
        who = f"{row.name}, the owner of this server" if row.role == "owner" else row.name
    address = _address()
    print(f"An invitation for {who}, for a week: {address}/invitation/{invitation}")
    print("From now on everybody signs in.")


def _address() -> str:
    """Where people come in: as the settings say, else where the program runs now."""
    running = home_folder() / "running"
    told = running.read_text().strip() if running.exists() else ""
    found = os.environ.get("EASY_POCKET_PUBLIC_URL") or (told if told.startswith("http") else HERE)
    return found.rstrip("/")


def show(database: Database) -> None:
    for one in people(database.reader):
        state = "has a password" if one.has_password else "not here yet"
        until = f", invited until {one.invited_until:%d %b %H:%M}" if one.invited_until else ""
        print(f"{one.name}  ({one.role}, {state}{until}, {one.devices} signed in)")


def remove(database: Database, name: str) -> None:
    """What was theirs goes to the owner."""
    with database.transaction() as session:
        remove_person(session, _id(database, name))
    print(f"{name} may not come in any more. What was theirs belongs to the owner of this server.")


def sign_out(database: Database, name: str) -> None:
    with database.transaction() as session:
        sign_device_out(session, _id(database, name), 0)
    print(f"{name} is signed out everywhere.")


def _id(database: Database, name: str) -> int:
    found: int | None = database.reader.scalar(select(PersonRow.id).where(PersonRow.name == name))
    if found is None:
        raise PocketError(f"There is no account '{name}': ./pocket user list shows them.")
    return found


def main(arguments: list[str] | None = None) -> int:
    parser = argparse.ArgumentParser(prog="./pocket user", description="Who may come in.")
    commands = parser.add_subparsers(dest="command", required=True)
    for name, words in (
        ("add", "invite somebody, or give them a new invitation"),
        ("remove", "take an account away; what was theirs goes to the owner"),
        ("out", "sign somebody out everywhere"),
    ):
        commands.add_parser(name, help=words).add_argument("name")
    commands.add_parser("list", help="everybody who has an account")
    chosen = parser.parse_args(arguments)
    try:
        with open_shelf() as database:
            if chosen.command == "list":
                show(database)
            else:
                {"add": add, "remove": remove, "out": sign_out}[chosen.command](database, chosen.name)
    except (LaunchError, PocketError) as error:
        print(f"pocket: {error}", file=sys.stderr)
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main())
