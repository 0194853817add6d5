"""What was heard of a long recording in a form that is small enough to be kept: forty megabytes of ten minutes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from easy_pocket.core.listen.candidates import Candidates
from easy_pocket.core.listen.listened import Found, Listened
from easy_pocket.core.listen.preparation import Prepared
from easy_pocket.core.listen.signals import Floats, Ints, Singles


@dataclass(frozen=True)
class KeptListening:
    """Single floats. Shapes as in Prepared and Candidates."""

    energy: Singles
    flux: Singles
    context: int
    duration_s: float
    name: str
    narrow: bool
    count: int
    at: Ints
    attack: Ints
    over_db: Floats
    pictures: Singles
    odds: Floats
    found: Found | None


def to_keep(heard: Listened) -> KeptListening:
    """As little as corrections need."""
    prepared, candidates = heard.prepared, heard.candidates
    return KeptListening(
        energy=prepared.energy,
        flux=prepared.log_odds_db.astype(np.float32),
        context=prepared.context,
        duration_s=prepared.duration_s,
        name=prepared.name,
        narrow=prepared.narrow,
        count=prepared.count,
        at=candidates.at,
        attack=candidates.attack,
        over_db=candidates.over_db,
        pictures=candidates.pictures.astype(np.float32),
        odds=heard.odds,
        found=heard.found,
    )


def kept_again(kept: KeptListening) -> Listened:
    """As it was heard, to seven digits."""
    prepared = Prepared(
        samples=np.zeros(0, dtype=np.float32),
        log_odds_db=kept.flux.astype(np.float64),
        energy=kept.energy,
        context=kept.context,
        duration_s=kept.duration_s,
        name=kept.name,
        narrow=kept.narrow,
        count=kept.count,
    )
    candidates = Candidates(kept.at, kept.attack, kept.over_db, kept.pictures.astype(np.float64))
    return Listened(prepared, candidates, kept.odds, kept.found)
