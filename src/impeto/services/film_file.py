"""Films from pictures: MP4 and GIF, written by an encoder in a process of its own."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from impeto.core.errors import FileError
from impeto.services.atomic import replacing

SUFFIXES = (".mp4", ".gif")
SMALLEST, LARGEST = 64, 7680  # px
SLOWEST, FASTEST = 1.0, 120.0  # pictures a second
PALETTE = "split[a][b];[a]palettegen[p];[b][p]paletteuse"  # colours of the film itself


def check(path: Path, size: tuple[int, int], rate: float) -> None:
    """FileError for what cannot be a film."""
    if path.suffix.lower() not in SUFFIXES:
        raise FileError(f"'{path.name}' is no film: its name must end in {' or '.join(SUFFIXES)}.")
    if not all(SMALLEST <= side <= LARGEST and side % 2 == 0 for side in size):
        raise FileError(
            f"A film cannot be {size[0]} by {size[1]}: both sides are even numbers from {SMALLEST} "
            f"to {LARGEST}."
        )
    if not SLOWEST <= rate <= FASTEST:
        raise FileError(f"A film has {SLOWEST:g} to {FASTEST:g} pictures a second.")


@contextlib.contextmanager
def film(path: str | Path, size: tuple[int, int], rate: float) -> Iterator[Callable[[bytes], None]]:
    """Takes pictures as bytes, RGB, line by line from the top; what was there stays where anything
    goes wrong. size : px, width and height;  rate : pictures a second. Raises FileError."""
    import imageio_ffmpeg

    path = Path(path)
    check(path, size, rate)
    options: dict[str, Any] = {"codec": "libx264", "quality": 8, "output_params": ["-f", "mp4"]}
    if path.suffix.lower() == ".gif":
        of_its_own = ["-filter_complex", PALETTE, "-f", "gif"]
        options = {"codec": "gif", "pix_fmt_out": "pal8", "quality": None,
                   "output_params": of_its_own}  # fmt: skip
    with replacing(path) as temporary:
        writer = imageio_ffmpeg.write_frames(
            str(temporary), size, fps=rate, macro_block_size=2, ffmpeg_log_level="error", **options
        )
        try:
            writer.send(None)
            yield writer.send
            writer.close()
        except (OSError, RuntimeError) as error:
            raise FileError(f"'{path}' could not be written: the encoder stopped.") from error
        finally:
            writer.close()
        if temporary.stat().st_size == 0:
            raise FileError(f"'{path}' could not be written: the encoder gave nothing.")
