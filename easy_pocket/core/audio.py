"""Audio as the core handles it: float samples with their rate and the name of where they came from."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from easy_pocket.core.errors import AudioRefusedError

MAX_SECONDS = 600.0
MIN_SAMPLES = 64
MIN_RATE_HZ, MAX_RATE_HZ = 4_000, 400_000


CANCELLED = 0.05  # of the loudest channel: a mix with less power than that has lost what is in it


@dataclass(frozen=True)
class Audio:
    """Samples, float32 of shape (n_samples, n_channels), at `rate_hz`; `name` is what to call it in messages.

    Raises AudioRefusedError for too few samples, more than 10 minutes, an unusable rate, or NaN or infinite samples.
    """

    samples: npt.NDArray[np.float32]
    rate_hz: int
    name: str = "audio"

    def __post_init__(self) -> None:
        if self.samples.ndim == 1:
            object.__setattr__(self, "samples", self.samples[:, None])
        count = len(self.samples)
        if not MIN_RATE_HZ <= self.rate_hz <= MAX_RATE_HZ:
            raise AudioRefusedError(
                f"{self.name} claims {self.rate_hz} samples a second; {MIN_RATE_HZ} to {MAX_RATE_HZ} can be used: "
                "save it again at 44100."
            )
        if count < MIN_SAMPLES:
            raise AudioRefusedError(
                f"{self.name} holds {count} sample{'s' if count != 1 else ''}; at least {MIN_SAMPLES} are needed: "
                "is the file cut off?"
            )
        if count / self.rate_hz > MAX_SECONDS:
            raise AudioRefusedError(
                f"{self.name} lasts {count / self.rate_hz / 60:.1f} minutes; at most {MAX_SECONDS / 60:.0f} can be "
                "used: cut out the bars you want."
            )
        bad = int(np.count_nonzero(~np.isfinite(self.samples)))
        if bad:
            raise AudioRefusedError(
                f"{self.name} holds {bad} samples that are no numbers (NaN or infinite): export it again."
            )

    @property
    def duration_s(self) -> float:
        return len(self.samples) / self.rate_hz

    @property
    def channels(self) -> int:
        return int(self.samples.shape[1])

    def mono(self) -> npt.NDArray[np.float32]:
        """Mean of the channels; if they cancel (out of phase), the loudest channel instead."""
        if self.channels == 1:
            return self.samples[:, 0]
        mixed = mean_of_channels(self.samples)
        powers = np.einsum("ij,ij->j", self.samples[::8], self.samples[::8])  # every 8th tells as much
        if np.dot(mixed[::8], mixed[::8]) < CANCELLED * powers.max():
            return np.ascontiguousarray(self.samples[:, int(np.argmax(powers))])
        return mixed


def mean_of_channels(samples: npt.NDArray[np.float32]) -> npt.NDArray[np.float32]:
    """The channels of (frames, channels), added and divided by their number."""
    mixed = samples[:, 0].copy()
    for channel in range(1, samples.shape[1]):
        mixed += samples[:, channel]
    mixed /= samples.shape[1]
    return mixed
