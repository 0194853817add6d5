"""Hands: learned from takes, brought in, made a groove, set to play a part."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

from pydantic import Field

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.formats.hand_json import dump_hand
from easy_pocket.core.takes.hand import Hand, TakeToLearn, learn_hand
from easy_pocket.core.takes.hand_player import hand_feel, hand_groove
from easy_pocket.store.history.undo_log import field_patch
from easy_pocket.store.schema.tables import HandRow
from easy_pocket.store.songs.create import check_name
from easy_pocket.store.songs.edits.fields import Id, Name
from easy_pocket.store.songs.edits.grooves import new_groove
from easy_pocket.store.songs.edits.registry import Edit, EditContext, FileEdit, Preparation, Step, edit
from easy_pocket.store.songs.edits.takes import OfTake
from easy_pocket.store.songs.find import find_part
from easy_pocket.store.takes.hands import find_hand, new_hand
from easy_pocket.store.takes.takes import find_take, load_take

MOST_PASSES = 256
PassIds = Annotated[list[Id], Field(max_length=MOST_PASSES)]


class KeepHand(OfTake):
    """Learn a hand from passes of a take (none named: all of them) and keep it."""

    kind: Literal["hand_keep"]
    pass_ids: PassIds = Field(default_factory=list)
    name: Name = ""


def _learned(preparation: Preparation, sent: KeepHand) -> Hand:
    with preparation.reader.together() as session:
        take = load_take(session, find_take(session, preparation.song.id, sent.take_id))
    chosen = [one for one in take.passes if not sent.pass_ids or one.id in sent.pass_ids]
    name = check_name(sent.name)[:60] if sent.name.strip() else f"{preparation.song.values.name} hand"
    return learn_hand([TakeToLearn(one.played, take.bars) for one in chosen], name)


@edit(description="keep hand {name}", prepare=_learned, long=True)
def keep_hand(context: EditContext, sent: KeepHand) -> Step:
    hand: Hand = context.prepared
    row = new_hand(context.session, hand)
    return Step([field_patch("hand", row, removed=False)], said={"name": hand.name}, made=row.id)


class BringHand(FileEdit):
    """A hand from a file."""

    kind: Literal["hand_bring"] = "hand_bring"
    hand: Hand


@edit(description="bring in hand {name}", by_file=True)
def bring_hand(context: EditContext, sent: BringHand) -> Step:
    row = new_hand(context.session, sent.hand)
    return Step([field_patch("hand", row, removed=False)], said={"name": sent.hand.name}, made=row.id)


class OfHand(Edit):
    hand_id: Id


class NameHand(OfHand):
    kind: Literal["hand_name"]
    name: Name


@edit(description="rename hand {before}")
def name_hand(context: EditContext, sent: NameHand) -> Step:
    row, hand = _own(context, sent.hand_id), find_hand(context.session, sent.hand_id)
    name = check_name(sent.name)[:60]
    doc = dump_hand(replace(hand, name=name))
    return Step([field_patch("hand", row, name=name, doc=doc)], said={"before": row.name})


def _own(context: EditContext, hand_id: int) -> HandRow:
    row = context.session.get(HandRow, hand_id)
    if row is None or row.removed:
        raise EditRefusedError("This hand is gone: choose another.")
    if row.house:
        raise EditRefusedError(f"{row.name} belongs to the house: it stays as it is.")
    return row


class ThrowHand(OfHand):
    kind: Literal["hand_away"]


@edit(description="throw away hand {name}")
def throw_hand(context: EditContext, sent: ThrowHand) -> Step:
    row = _own(context, sent.hand_id)
    return Step([field_patch("hand", row, removed=True)], said={"name": row.name})


class GrooveOfHand(OfHand):
    """A groove of the hand's leans and accents."""

    kind: Literal["hand_groove"]


@edit(description="groove of hand {name}")
def groove_of_hand(context: EditContext, sent: GrooveOfHand) -> Step:
    row = new_groove(context, hand_groove(find_hand(context.session, sent.hand_id)))
    return Step([field_patch("template", row, removed=False)], said={"name": row.name}, made=row.id)


class PlayByHand(OfHand):
    """The part is played by the hand: its leans as a groove, its accents, its drift, jitter and touch."""

    kind: Literal["hand_play"]
    part_id: Id
    accent_pull: Annotated[float, Field(ge=0, le=100)] = 50.0


@edit(description="{part} is played by {name}")
def play_by_hand(context: EditContext, sent: PlayByHand) -> Step:
    part, hand = find_part(context.song, sent.part_id), find_hand(context.session, sent.hand_id)
    groove = new_groove(context, hand_groove(hand))
    feel = {
        **part.row.feel, **hand_feel(hand), "template_id": groove.id, "timing_pull": 100.0, "groove_on": True,
        "accent_pull": sent.accent_pull, "swing_percent": 50.0, "runs_on": True,
    }  # fmt: skip
    patches = [field_patch("template", groove, removed=False), field_patch("part", part.row, feel=feel)]
    return Step(patches, said={"part": part.row.name, "name": hand.name}, made=groove.id)
