"""Networks fitted from several starts and put into one, as easy_pocket/core/listen/network.py reads them."""

from __future__ import annotations

import numpy as np

from easy_pocket.core.listen.network import FARTHEST, Network

STARTS = 4  # networks fitted from different starts


def averaged(name: str, kind: type, pictures: np.ndarray, wanted: np.ndarray, hidden: int) -> Network:
    """One network of STARTS ones: what they say averaged. wanted: (n,), or (n, m) for several outputs."""
    middle, width = pictures.mean(axis=0), pictures.std(axis=0) + 1e-3
    scaled = np.clip((pictures - middle) / width, -FARTHEST, FARTHEST)
    parts = []
    for start in range(STARTS):
        one = kind(
            hidden_layer_sizes=(hidden,), alpha=3e-3, batch_size=512, early_stopping=True, n_iter_no_change=4,
            max_iter=40, random_state=start,
        ).fit(scaled, wanted)  # fmt: skip
        parts.append((one.coefs_[0], one.intercepts_[0], one.coefs_[1], one.intercepts_[1]))
    print(f"{name}: {len(wanted)} places, mean {np.round(wanted.mean(axis=0), 2)}", flush=True)
    out = np.concatenate([out for _, _, out, _ in parts]) / STARTS
    bias = np.mean([bias for *_, bias in parts], axis=0)
    single = out.shape[1] == 1
    return Network(
        middle,
        width,
        np.concatenate([weights for weights, *_ in parts], axis=1),
        np.concatenate([offsets for _, offsets, *_ in parts]),
        out[:, 0] if single else out,
        bias[0] if single else bias,
    )


def stored(name: str, network: Network) -> dict[str, np.ndarray]:
    kept = {part: np.asarray(getattr(network, part)) for part in Network.__dataclass_fields__}
    exact = {part: value.astype(np.float16 if part == "weights" else np.float32) for part, value in kept.items()}
    return {f"{name}_{part}": value for part, value in exact.items()}


def f_of(told: np.ndarray, true: np.ndarray) -> float:
    """Twice what is rightly told, against all that is told and all that is there."""
    return float(2 * (told & true).sum() / max(told.sum() + true.sum(), 1))
