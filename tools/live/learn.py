"""Teach the live mouth: python -m tools.live.learn SEEN_FOLDER OUT.npz; needs torch beside the product's packages.

SEEN_FOLDER is what `see` left. A layer that looks at a frame, one that remembers (Cho et al. 2014, gated recurrent
unit) and one that answers: curves, log odds of shut lips, log odds of speech.
"""

from __future__ import annotations

import argparse
import fnmatch
import time
from pathlib import Path

import numpy as np
import torch
from torch import nn

WEIGHT = torch.tensor([1, 1.5, 0.5, 0.7, 0.3, 0.5, 0.5, 0.3, 0.3, 0.3, 0.3])
TAKEN, WARM = 400, 60  # frames of a piece, and those that only warm the memory up
KINDS = ("clean", "throat", "hiss", "voices", "room", "all")  # as `spoil` has them
GROUPS = (
    (0, 126),
    (126, 165),
    (165, 178),
    (178, 203),
)  # of what is seen: scores, streams, newest cepstra, bands


class Ear(nn.Module):
    def __init__(
        self, seen: int, mean: torch.Tensor, scale: torch.Tensor, look: int, hidden: int
    ) -> None:
        super().__init__()
        self.register_buffer("mean", mean)
        self.register_buffer("scale", scale)
        self.look = nn.Linear(seen, look)
        self.memory = nn.GRU(look, hidden, batch_first=True)
        self.answer = nn.Linear(hidden, 13)
        self.drop = nn.Dropout(0.15)

    def forward(self, x: torch.Tensor) -> torch.Tensor:
        x = (x - self.mean) * self.scale
        h, _ = self.memory(self.drop(torch.tanh(self.look(x))))
        return self.answer(self.drop(h))


def loss_of(
    out: torch.Tensor, y: torch.Tensor, taken: torch.Tensor, closures: float = 0.25
) -> torch.Tensor:
    """y: curves, shut, speaks, counts. taken: which frames count. closures: how much shut lips do beside curves."""
    bce = nn.functional.binary_cross_entropy_with_logits
    each = (((out[..., :11] - y[..., :11]) ** 2) * WEIGHT).sum(-1)
    each = each + closures * bce(out[..., 11], y[..., 11], reduction="none")
    each = each + 0.15 * bce(out[..., 12], y[..., 12], reduction="none") * y[..., 13]
    return (each * taken).sum() / taken.sum()


def read(paths: list[Path]) -> tuple[list[torch.Tensor], list[torch.Tensor]]:
    xs, ys = [], []
    for p in paths:
        d = np.load(p)
        xs.append(torch.from_numpy(d["x"]))
        ys.append(
            torch.from_numpy(
                np.concatenate([d["curves"], np.stack([d["shut"], d["speaks"], d["counts"]], 1)], 1)
            )
        )
    return xs, ys


def judged(net: Ear, xs: list[torch.Tensor], ys: list[torch.Tensor]) -> str:
    net.eval()
    r, losses, hits, false, true = [], [], 0, 0, 0
    with torch.no_grad():
        for x, y in zip(xs, ys, strict=True):
            out, y = net(x.float()[None])[0], y.float()
            losses.append(float(loss_of(out, y, torch.ones(len(y)))))
            r.append([float(np.corrcoef(out[:, k], y[:, k])[0, 1]) for k in (0, 1, 3)])
            p, t = out[:, 11] > 0, y[:, 11] > 0.5
            hits, false, true = (
                hits + int((p & t).sum()),
                false + int((p & ~t).sum()),
                true + int(t.sum()),
            )
    r = np.nanmean(r, 0).round(3)
    return f"loss {np.mean(losses):.4f} jaw {r[0]} part {r[1]} round {r[2]} shut: {hits / max(true, 1):.2f} found, {false / max(hits + false, 1):.2f} of it false"


def parts_of(net: Ear) -> dict[str, torch.Tensor]:
    """As `glyphos.live.ear` names them."""
    return {"mean": net.mean, "scale": net.scale, "look_w": net.look.weight.T, "look_b": net.look.bias,
            "in_w": net.memory.weight_ih_l0.T, "in_b": net.memory.bias_ih_l0,
            "own_w": net.memory.weight_hh_l0.T, "own_b": net.memory.bias_hh_l0,
            "out_w": net.answer.weight.T, "out_b": net.answer.bias}  # fmt: skip


def save(net: Ear, path: Path) -> None:
    kept = {k: v.detach().numpy() for k, v in parts_of(net).items()}
    np.savez_compressed(
        path,
        **{k: v.astype(np.float16 if k.endswith("_w") else np.float32) for k, v in kept.items()},
    )


def go_on(net: Ear, path: Path) -> None:
    """From weights that were saved. A larger ear answers as the smaller one did: what is new is heard by nobody yet
    (Chen, Goodfellow & Shlens 2016)."""
    data = {name: torch.from_numpy(w.astype(np.float32)) for name, w in np.load(path).items()}
    look, hidden = len(data["look_b"]), len(data["out_w"])
    own, gates = net.memory.hidden_size, 3
    with torch.no_grad():
        for name, part in parts_of(net).items():
            was = data[name]
            if name in ("in_w", "own_w", "in_b", "own_b"):  # the three gates lie side by side
                was = was.reshape(*was.shape[:-1], gates, hidden)
                into = part.reshape(*part.shape[:-1], gates, own)
                if name.endswith("_w"):
                    kept = look if name == "in_w" else hidden
                    into[kept:, :, :hidden] = 0
                    into[:kept, :, :hidden] = was
                else:
                    into[:, :hidden] = was
            elif name == "out_w":
                part[hidden:] = 0
                part[:hidden] = was
            else:
                part[..., : was.shape[-1]] = was


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("seen", type=Path)
    parser.add_argument("out", type=Path)
    parser.add_argument(
        "--without", default="", help="patterns of files that are only looked at, with commas"
    )
    parser.add_argument(
        "--often", default="lj-*,mabel-*", help="patterns of files that are taken four times"
    )
    parser.add_argument("--minutes", type=float, default=12)
    parser.add_argument("--start", type=Path, help="weights to go on from")
    parser.add_argument("--rate", type=float, default=3e-3, help="of learning, at first")
    parser.add_argument("--closures", type=float, default=0.25, help="how much shut lips count")
    parser.add_argument("--batch", type=int, default=16, help="pieces of a step")
    parser.add_argument("--look", type=int, default=96)
    parser.add_argument("--hidden", type=int, default=128)
    parser.add_argument("--seed", type=int, default=0, help="another beginning, for another ear")
    options = parser.parse_args()
    torch.manual_seed(options.seed)
    draw = np.random.default_rng(options.seed)
    every = sorted(options.seen.glob("*.npz"))

    def named(path: Path, patterns: str) -> bool:
        return any(fnmatch.fnmatch(path.name, q) for q in patterns.split(",") if q)

    own = [p for p in every if not named(p, options.without)]
    away = [p for p in every if named(p, options.without)]
    own += 3 * [p for p in own if named(p, options.often)]
    xs, ys = read(own)
    test = read(away)
    some = torch.cat([x[::20].float() for x in xs])
    mean, scale = some.mean(0), 1 / some.std(0).clamp(min=1e-2)
    net = Ear(xs[0].shape[1], mean, scale, options.look, options.hidden)
    if options.start is not None:
        go_on(net, options.start)
    step = torch.optim.AdamW(net.parameters(), options.rate, weight_decay=0.02)
    # The first piece of a stream begins where the sound does
    pieces = [(k, a) for k, x in enumerate(xs) for a in range(0, len(x) - TAKEN, TAKEN - WARM)]
    began, last, rounds, losses, batch = time.monotonic(), 0.0, 0, [], options.batch
    whole = 60 * options.minutes
    print(
        len(own),
        "streams",
        len(pieces),
        "pieces,",
        sum(p.numel() for p in net.parameters()),
        "weights",
        flush=True,
    )
    while (gone := time.monotonic() - began) < whole:
        order = draw.permutation(len(pieces))
        for at in range(0, len(order) - batch, batch):
            gone = time.monotonic() - began
            if gone > whole:
                break
            for group in step.param_groups:
                group["lr"] = (
                    options.rate
                    * (0.02 + 0.98 * 0.5 * (1 + np.cos(np.pi * min(1, gone / whole))))
                    * min(1, (gone + 1) / 20)
                )
            x, y, taken = [], [], torch.ones(batch, TAKEN)
            for row, k in enumerate(order[at : at + batch]):
                s, a = pieces[k]
                b = a + int(draw.integers(0, WARM)) if a and a + TAKEN + WARM < len(xs[s]) else a
                taken[row, : WARM if a else 0] = 0
                x.append(xs[s][b : b + TAKEN])
                y.append(ys[s][b : b + TAKEN])
            seen, wanted = torch.stack(x).float(), torch.stack(y).float()
            for low, high in GROUPS:  # now and then one kind of seeing is taken away
                gone_ones = torch.from_numpy(draw.random(batch) < 0.08)
                seen[gone_ones, :, low:high] = mean[low:high]
            seen = seen + 0.1 / scale * torch.randn_like(seen)
            net.train()
            loss = loss_of(net(seen), wanted, taken, options.closures)
            step.zero_grad()
            loss.backward()
            nn.utils.clip_grad_norm_(net.parameters(), 1.0)
            step.step()
            losses.append(float(loss.detach()))
            if gone - last > 180:
                last = gone
                save(net, options.out)
                print(
                    f"{gone:.0f} s, round {rounds}: {np.mean(losses[-100:]):.4f}; "
                    + (judged(net, test[0][::5], test[1][::5]) if away else ""),
                    flush=True,
                )
        rounds += 1
    save(net, options.out)
    for kind in KINDS if away else ():
        some = [k for k, p in enumerate(away) if p.name.endswith(f"-{kind}.npz")]
        if some:
            print(kind, judged(net, [test[0][k] for k in some], [test[1][k] for k in some]))


if __name__ == "__main__":
    main()
