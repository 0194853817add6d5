"""Hands on the shelf: those of the house, and those learned here or brought in."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from easy_pocket.core.errors import EditRefusedError, NotThereError
from easy_pocket.core.formats.hand_json import dump_hand, load_hand
from easy_pocket.core.takes.hand import Hand
from easy_pocket.core.takes.house_hands import HOUSE_HANDS
from easy_pocket.store.database import Reads
from easy_pocket.store.schema.tables import HOUSE, HandRow

MOST_HANDS = 400


@dataclass(frozen=True)
class ListedHand:
    id: int
    name: str
    of_the_house: bool


def hands(reads: Reads) -> list[ListedHand]:
    """The user's own first, the newest before; what they hold is read when it is asked for."""
    asked = select(HandRow.id, HandRow.name, HandRow.house).where(HandRow.removed.is_(False))
    rows = reads.execute(asked.order_by(HandRow.house, HandRow.id.desc()))
    return [ListedHand(row.id, row.name, row.house is not None) for row in rows]


def find_hand(reads: Reads, hand_id: int) -> Hand:
    row = reads.get(HandRow, hand_id)
    if row is None or row.removed:
        raise NotThereError("This hand is gone: choose another.")
    return load_hand(row.doc, row.name)


def new_hand(session: Session, hand: Hand) -> HandRow:
    """Not on the shelf yet: the edit's patch puts it there."""
    count = session.query(HandRow).filter(HandRow.removed.is_(False)).count()
    if count >= MOST_HANDS:
        raise EditRefusedError(f"There are {MOST_HANDS} hands, the most there can be: throw some away first.")
    row = HandRow(name=hand.name, doc=dump_hand(hand), removed=True)
    session.add(row)
    session.flush()
    return row


def save_house_hands(session: Session) -> None:
    """Those of the house, as this version has them."""
    known = {row.house: row for row in session.scalars(select(HandRow).where(HandRow.house.is_not(None)))}
    for key, hand in HOUSE_HANDS.items():
        row = known.get(key)
        if row is None:
            session.add(HandRow(name=hand.name, doc=dump_hand(hand), house=key, owner_id=HOUSE))
        else:
            row.name, row.doc = hand.name, dump_hand(hand)
