"""Write the demo's audio loops again from the patterns they are made of."""

from pathlib import Path

import numpy as np

from easy_pocket.core.audio import Audio
from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.formats.audio_file import write_audio
from easy_pocket.core.sound.events import play_events
from easy_pocket.core.sound.house_kits import HOUSE_KITS
from easy_pocket.core.sound.mixdown import mixdown
from easy_pocket.demo import quayside
from easy_pocket.demo.bollard import bollard_mouth

feel = FeelScopes(Feel(swing_percent=quayside.SWING_PERCENT))
performance = perform(quayside.written(), feel, tempo_bpm=quayside.TEMPO_BPM)
kit = HOUSE_KITS["boathouse"]
audio = mixdown(play_events(performance, kit), kit, performance.length_ms / 1000, name="quayside-break.flac")
mono = audio.samples.mean(axis=1)
mono = 0.8 * mono / np.abs(mono).max() + np.random.default_rng(5).standard_normal(len(mono)).astype(np.float32) * 3e-4
target = Path("easy_pocket/demo/quayside-break.flac")
target.write_bytes(write_audio(Audio(mono.astype(np.float32), audio.rate_hz, target.name), "FLAC", 16))
print(target, target.stat().st_size, "bytes")

heard = bollard_mouth()
spoken = Path("easy_pocket/web/static/bollard-mouth.flac")  # the simulated microphone fetches it
spoken.write_bytes(write_audio(heard, "FLAC", 16))
print(spoken, spoken.stat().st_size, "bytes")
