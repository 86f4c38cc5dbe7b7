"""Make speech with exact labels from Debian's festival and flite voices, to measure timing on.

    python tools/synth_sets.py FOLDER [--voices kal_diphone,slt_hts,...] [--limit N]

Writes, per voice and sentence, NAME.wav, NAME.txt and NAME.lab (one `start label` line a sound,
seconds; the synthesiser's own segment times). Needs the packages festival, festvox-kallpc16k,
festvox-us-slt-hts, festvox-italp16k, festvox-itapc16k and flite; nothing of this ships.
"""

from __future__ import annotations

import argparse
import subprocess
from pathlib import Path

SETS = Path(__file__).parent / "sets"
FESTIVAL = {
    "kal_diphone": ("voice_kal_diphone", "english"),
    "slt_hts": ("voice_cmu_us_slt_arctic_hts", "english"),
    "lp_diphone": ("voice_lp_diphone", "italian"),
    "pc_diphone": ("voice_pc_diphone", "italian"),
}
FLITE = ("awb", "rms", "slt", "kal16")


def sentences(language: str, limit: int | None) -> list[str]:
    return (SETS / f"{language}.txt").read_text(encoding="utf-8").split("\n")[:-1][:limit]


def festival(folder: Path, voice: str, limit: int | None) -> None:
    command, language = FESTIVAL[voice]
    program = [f"({command})"]
    for number, text in enumerate(sentences(language, limit)):
        stem = folder / f"{voice}-{number:03d}"
        stem.with_suffix(".txt").write_text(text, encoding="utf-8")
        quoted = text.replace('"', "")
        program += [
            f'(set! u (SynthText "{quoted}"))',
            f'(utt.save.wave u "{stem}.wav" \'riff)',
            f'(utt.save.segs u "{stem}.seg")',
        ]
    encoding = "utf-8" if language == "english" else "latin-1"
    script = folder / f"{voice}.scm"
    script.write_bytes("\n".join(program).encode(encoding))
    subprocess.run(["festival", "-b", str(script)], check=True, capture_output=True)
    script.unlink()
    for seg in folder.glob(f"{voice}-*.seg"):
        rows = [line.split() for line in seg.read_text(encoding="latin-1").splitlines()]
        ends = [(float(r[0]), r[2]) for r in rows if len(r) == 3 and r[0] != "#"]
        write_labels(seg.with_suffix(".lab"), ends)
        seg.unlink()


def flite(folder: Path, voice: str, limit: int | None) -> None:
    for number, text in enumerate(sentences("english", limit)):
        stem = folder / f"flite_{voice}-{number:03d}"
        stem.with_suffix(".txt").write_text(text, encoding="utf-8")
        done = subprocess.run(
            ["flite", "-voice", voice, "-psdur", "-t", text, "-o", f"{stem}.wav"],
            check=True, capture_output=True, text=True,
        )  # fmt: skip
        pairs = done.stdout.split()
        ends = [(float(time), label) for label, time in (p.rsplit(":", 1) for p in pairs)]
        write_labels(stem.with_suffix(".lab"), ends)


def write_labels(path: Path, ends: list[tuple[float, str]]) -> None:
    start, rows = 0.0, []
    for end, label in ends:
        rows.append(f"{start:.4f} {label}")
        start = end
    path.write_text("\n".join(rows) + "\n", encoding="utf-8")


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--voices", default="kal_diphone,slt_hts,awb,rms,lp_diphone,pc_diphone")
    parser.add_argument("--limit", type=int)
    options = parser.parse_args()
    options.folder.mkdir(parents=True, exist_ok=True)
    for voice in options.voices.split(","):
        make = festival if voice in FESTIVAL else flite
        make(options.folder.resolve(), voice, options.limit)


if __name__ == "__main__":
    main()
