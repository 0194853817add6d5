"""How much louder hits are in sections that have levels of their own."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from easy_pocket.core.song.perform_song import PartPerformance, SongPerformance
from easy_pocket.core.song.stage_sound import voice_place
from easy_pocket.core.sound.events import VoiceMix
from easy_pocket.core.stage.stage import Stage


def louder_in_sections(stage: Stage, played: SongPerformance, one: PartPerformance) -> npt.NDArray[np.float64] | float:
    """By how many dB each hit of a part is louder where its section has a level of its own for its voice.

    Returns
    -------
    array of shape (hits,), or 0.0 where no section has one
    """
    sections = {key: own.levels for key, own in stage.sections.items() if own.levels}
    if not sections:
        return 0.0
    voices, spans = one.hits.voices, played.song.spans
    more_db = np.zeros((len(spans), len(voices)))
    for number, voice in enumerate(voices):
        where, usual_db = voice_place(one.part.key, voice), one.part.mix.get(voice, VoiceMix()).level_db
        for span in spans:
            own = sections.get(span.section.key, {})
            if where in own:
                more_db[span.number, number] = own[where] - usual_db
    return np.asarray(more_db[one.span, one.hits.voice_index])
