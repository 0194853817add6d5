"""Audio files in (WAV, FLAC, OGG, AIFF, MP3) and out (WAV, FLAC)."""

from __future__ import annotations

import io
import os
import struct
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, BinaryIO

import numpy as np
import numpy.typing as npt
import soundfile

from easy_pocket.core.audio import CANCELLED, MAX_RATE_HZ, MAX_SECONDS, MIN_RATE_HZ, Audio, mean_of_channels
from easy_pocket.core.errors import AudioRefusedError

MAX_CHANNELS = 8
KNOWN_FORMATS = {"WAV", "WAVEX", "RF64", "FLAC", "OGG", "AIFF", "MP3", "MPEG"}
BLOCK_FRAMES = 1 << 18
MAX_VALUES = 64_000_000  # samples of all channels together: ten minutes of stereo at 48,000 a second
SUBTYPES = {16: "PCM_16", 24: "PCM_24", 32: "FLOAT"}


def read_mono(source: str | os.PathLike[str] | bytes | BinaryIO, name: str) -> Audio:
    """The same as one channel, as `Audio.mono` mixes it: of ten minutes half the memory."""
    return read_audio(source, name, mix=True)


def read_audio(source: str | os.PathLike[str] | bytes | BinaryIO, name: str, *, mix: bool = False) -> Audio:
    """Read a whole file, at most 10 minutes of at most 8 channels. Raises AudioRefusedError and says why."""
    handle: str | os.PathLike[str] | BinaryIO = io.BytesIO(source) if isinstance(source, bytes) else source
    if _size(handle) == 0:
        raise AudioRefusedError(f"{name} is empty (0 bytes): choose another file, or export it again.")
    try:
        with soundfile.SoundFile(handle) as opened:
            if opened.format not in KNOWN_FORMATS:
                raise AudioRefusedError(f"{name} is {opened.format}; WAV, FLAC, OGG, AIFF and MP3 can be read.")
            if not 1 <= opened.channels <= MAX_CHANNELS:
                raise AudioRefusedError(
                    f"{name} has {opened.channels} channels; at most {MAX_CHANNELS} can be read: mix it to stereo."
                )
            if not MIN_RATE_HZ <= opened.samplerate <= MAX_RATE_HZ:
                raise AudioRefusedError(
                    f"{name} claims {opened.samplerate} samples a second; {MIN_RATE_HZ} to {MAX_RATE_HZ} can be used: "
                    "save it again at 44100."
                )
            samples = _read_bounded(opened, name, mix=mix)
            rate_hz = int(opened.samplerate)
    except soundfile.LibsndfileError as error:
        raise AudioRefusedError(
            f"{name} is no audio that can be read ({_reason(error)}); WAV, FLAC, OGG, AIFF and MP3 are: "
            "check that the file is complete and what its name says."
        ) from None
    return Audio(samples, rate_hz, name)


@dataclass(frozen=True)
class AudioFacts:
    """What a file says of its audio without being read."""

    duration_s: float
    rate_hz: int
    channels: int


def audio_facts(data: bytes, name: str) -> AudioFacts:
    """Raises AudioRefusedError for what is no audio."""
    try:
        with soundfile.SoundFile(io.BytesIO(data)) as opened:
            return AudioFacts(opened.frames / opened.samplerate, int(opened.samplerate), int(opened.channels))
    except soundfile.LibsndfileError as error:
        raise AudioRefusedError(f"{name} is no audio that can be read ({_reason(error)}).") from None


def claimed_seconds(data: bytes) -> float | None:
    """How long a file says it is, without reading it; None when it says nothing that can be believed."""
    try:
        with soundfile.SoundFile(io.BytesIO(data)) as opened:
            return opened.frames / opened.samplerate if opened.samplerate > 0 else None
    except (soundfile.LibsndfileError, RuntimeError, OSError, ValueError):
        return None


def _read_bounded(opened: soundfile.SoundFile, name: str, *, mix: bool = False) -> npt.NDArray[np.float32]:
    """Read block by block, so that a header that promises hours costs nothing, and stop past the limit.

    mix: into one channel, as `Audio.mono` does.
    """
    mixing = mix and opened.channels > 1
    kept = _Kept(opened, 1 if mixing else opened.channels)
    powers, mixed_power = np.zeros(opened.channels), 0.0
    for block in _blocks(opened, name):
        if mixing:
            mixed = mean_of_channels(block)
            powers += np.einsum("ij,ij->j", block[::8], block[::8])
            mixed_power += float(np.dot(mixed[::8], mixed[::8]))
            block = mixed[:, None]
        kept.add(block)
    if not kept.count:
        raise AudioRefusedError(f"{name} has a header but no samples after it: the file is cut off; export it again.")
    if mixing and mixed_power < CANCELLED * powers.max():
        loudest = int(powers.argmax())
        opened.seek(0)
        kept = _Kept(opened, 1)
        for block in _blocks(opened, name):
            kept.add(block[:, loudest : loudest + 1])
    return kept.samples


def _blocks(opened: soundfile.SoundFile, name: str) -> Iterator[npt.NDArray[np.float32]]:
    limit, total = int(MAX_SECONDS * opened.samplerate), 0
    while True:
        block = opened.read(BLOCK_FRAMES, dtype="float32", always_2d=True)
        total += len(block)
        if total > limit:
            raise AudioRefusedError(
                f"{name} lasts longer than {MAX_SECONDS / 60:.0f} minutes, the most that can be used: cut out the bars "
                "you want."
            )
        if total * opened.channels > MAX_VALUES:
            raise AudioRefusedError(
                f"{name} holds more than {MAX_VALUES // 1_000_000} million samples in its {opened.channels} channels: "
                "mix it to stereo at 44100, or cut out the bars you want."
            )
        if len(block):
            yield block
        if len(block) < BLOCK_FRAMES:
            return


class _Kept:
    """Blocks in one array: made at once where the header says how long it is, so that they are not held twice."""

    def __init__(self, opened: soundfile.SoundFile, columns: int) -> None:
        promised = opened.frames if 0 < opened.frames <= MAX_SECONDS * opened.samplerate else 0
        self._all = np.empty((promised, columns), dtype=np.float32)
        self.count = 0
        self._more: list[npt.NDArray[np.float32]] = []

    def add(self, block: npt.NDArray[np.float32]) -> None:
        if self._more or self.count + len(block) > len(self._all):
            self._more.append(block)
        else:
            self._all[self.count : self.count + len(block)] = block
            self.count += len(block)
            return
        self.count += len(block)

    @property
    def samples(self) -> npt.NDArray[np.float32]:
        held = self.count - sum(map(len, self._more))
        return np.concatenate([self._all[:held], *self._more]) if self._more else self._all[:held]


def _size(handle: str | os.PathLike[str] | BinaryIO) -> int:
    if isinstance(handle, str | os.PathLike):
        try:
            return os.path.getsize(handle)
        except OSError as error:
            raise AudioRefusedError(f"{os.fspath(handle)} cannot be opened: {error.strerror}.") from None
    position = handle.seek(0, io.SEEK_END)
    handle.seek(0)
    return position


def _reason(error: soundfile.LibsndfileError) -> str:
    return str(error.error_string).strip().rstrip(".").lower()


def write_audio(audio: Audio, kind: str = "WAV", bits: int = 16, comment: str = "") -> bytes:
    """A file's bytes: kind WAV or FLAC, bits 16, 24 or (WAV only) 32 float. 16 and 24 bits clip beyond full scale.

    Parameters
    ----------
    audio
        The recording.
    kind
        "WAV" or "FLAC".
    bits
        16, 24, or 32 for floats (WAV only).
    comment
        Words that are kept in the file.

    Returns
    -------
    bytes
        The bytes of the file.
    """
    if kind not in ("WAV", "FLAC") or bits not in SUBTYPES or (kind == "FLAC" and bits == 32):
        raise AudioRefusedError(
            f"{bits} bit {kind} cannot be written; use WAV with 16, 24 or 32, or FLAC with 16 or 24."
        )
    out = io.BytesIO()
    samples: npt.NDArray[Any] = audio.samples if bits == 32 else np.clip(audio.samples, -1.0, 1.0)
    if bits == 24:  # exactly what is read again
        samples = np.minimum(np.rint(samples.astype(np.float64) * 2**23), 2**23 - 1).astype(np.int32) << 8
    with soundfile.SoundFile(out, "w", audio.rate_hz, samples.shape[1], SUBTYPES[bits], format=kind) as file:
        if comment:
            file.comment = comment
        file.write(samples)
    return _without_its_time(out.getvalue()) if bits == 32 else out.getvalue()


def _without_its_time(wav: bytes) -> bytes:
    """The same sound is the same bytes whenever it is written.

    A WAV of floats says when that was (chunk PEAK: version, seconds since 1970).
    """
    at = 12  # after RIFF, its size and WAVE
    while at + 8 <= len(wav):
        name, size = struct.unpack_from("<4sI", wav, at)
        if name == b"PEAK":
            return wav[: at + 12] + bytes(4) + wav[at + 16 :]
        at += 8 + size + size % 2
    return wav
