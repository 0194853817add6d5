"""What the library begins with: presets, the voices of our kits, and the audio that ships."""

from __future__ import annotations

from collections.abc import Iterator

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from easy_pocket.core.pattern.voices import ROLES
from easy_pocket.core.sound.presets import PRESETS
from easy_pocket.core.sound.sound import SAMPLED
from easy_pocket.samples import house_kits, sampled_audio, shipped_samples
from easy_pocket.store.kits.samples import save_samples
from easy_pocket.store.kits.sound_library import NewSound, add_sounds
from easy_pocket.store.schema.tables import FIRST_PERSON, HOUSE, SoundRow


def _house_sounds() -> Iterator[NewSound]:
    for kit in house_kits().values():
        for voice in kit.voices:
            source = "sampled" if voice.layers[0].sound.model == SAMPLED else "model"
            yield NewSound(f"{kit.name} {ROLES[voice.role].name.lower()}", voice.role, source, voice.layers[0].sound)
    for preset in PRESETS:
        yield NewSound(preset.name, preset.role, "model", preset.sound)


def save_house_sounds(session: Session) -> None:
    """Keep what ships and is not there yet; sounds the user took out stay out."""
    wanted = list(_house_sounds())
    known = set(session.scalars(select(SoundRow.key).where(SoundRow.owner_id.in_((HOUSE, FIRST_PERSON)))))
    missing = [one for one in wanted if one.sound.key not in known]
    if missing:
        save_samples(session, sampled_audio())
        add_sounds(session, missing, shipped_samples)
    ours = SoundRow.key.in_([one.sound.key for one in wanted]), SoundRow.owner_id == FIRST_PERSON
    session.execute(update(SoundRow).where(*ours).values(owner_id=HOUSE))
