"""The parts of the package that are compiled; where there is no compiler, NumPy does the same."""

from setuptools import Extension, setup


def part(name: str, source: str) -> Extension:
    return Extension(
        name,
        [source],
        extra_compile_args=["-std=c99"],
        libraries=["m"],
        py_limited_api=True,
        optional=True,
    )


setup(
    ext_modules=[
        part("glyphos.speech._viterbi", "glyphos/speech/viterbi.c"),
        part("glyphos.motion._smooth", "glyphos/motion/smooth.c"),
        part("glyphos.characters.drawings._cheapest", "glyphos/characters/drawings/cheapest.c"),
    ]
)
