"""The part of the package that is compiled; where there is no compiler, NumPy does the same."""

from setuptools import Extension, setup

setup(
    ext_modules=[
        Extension(
            "glyphos.motion._smooth",
            ["glyphos/motion/smooth.c"],
            extra_compile_args=["-std=c99"],
            libraries=["m"],
            py_limited_api=True,
            optional=True,
        )
    ]
)
