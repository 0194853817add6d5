"""Notes and voices: there and back, and the nearest voice of what no kit has."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.formats.note_map import EXACT_VOICE, NEAREST_BY_NOTE, nearest_voice, note_of_voice, voice_of_note
from easy_pocket.core.pattern.voices import DRUMS


@given(st.integers(0, 127))
def test_a_note_comes_back_from_its_voice(note):
    assert note_of_voice(voice_of_note(note)) == note


@pytest.mark.parametrize("voice", list(DRUMS))
def test_a_voice_comes_back_from_its_note(voice):
    assert voice_of_note(note_of_voice(voice)) == voice
    assert nearest_voice(voice) == voice


@given(st.integers(0, 127))
def test_the_nearest_voice_is_one_that_kits_have(note):
    near = nearest_voice(voice_of_note(note))
    assert near in DRUMS
    if note in EXACT_VOICE:
        assert near == EXACT_VOICE[note]
    elif note in NEAREST_BY_NOTE:
        assert near == NEAREST_BY_NOTE[note]


@pytest.mark.parametrize(
    ("note", "voice"), [(36, "kick"), (38, "snare"), (42, "hat_closed"), (46, "hat_open"), (49, "crash"), (51, "ride")]
)
def test_the_notes_everybody_uses(note, voice):
    assert voice_of_note(note) == voice
