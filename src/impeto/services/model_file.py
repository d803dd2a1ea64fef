"""Model files (*.impeto.json): reading, writing, the shipped demos, and the published schema."""

from __future__ import annotations

import json
from importlib import resources
from pathlib import Path

from impeto.core.elements import Gravity
from impeto.core.errors import FileError
from impeto.core.model.model import Model
from impeto.services import json_text
from impeto.services.atomic import reason, replacing
from impeto.services.meshes import with_meshes
from impeto.services.model_codec import decode, encode, schema

SUFFIX = ".impeto.json"
LARGEST = 200_000_000  # bytes


def new_model() -> Model:
    """What a document begins with: nothing but gravity."""
    return Model(elements=[Gravity(name="gravity")])


def load(path: str | Path) -> Model:
    """Read a model file and the mesh files it names. Raises FileError or ModelError, each in one
    sentence."""
    path = Path(path)
    try:
        if not path.is_file() and path.exists():
            raise FileError(f"'{path}' is not a file.")
        if path.stat().st_size > LARGEST:
            raise FileError(f"'{path}' is too large to be a model.")
        text = path.read_text(encoding="utf-8")
    except OSError as error:
        raise FileError(f"'{path}' cannot be read: {reason(error)}.") from error
    except UnicodeDecodeError as error:
        raise FileError(f"'{path}' is not an Impeto model: it is not text.") from error
    except ValueError as error:  # a path with a NUL
        raise FileError(f"'{path}' is not the name of a file.") from error
    return with_meshes(parse(text, str(path)), path.parent)


def parse(text: str, place: str = "The text") -> Model:
    """Model from the text of a model file."""
    try:
        data = json.loads(text, parse_constant=_no_number)
        json.dumps(data, ensure_ascii=False).encode("utf-8")
    except UnicodeEncodeError as error:
        raise FileError(f"'{place}' holds half a letter, which cannot be written.") from error
    except (ValueError, RecursionError) as error:
        where = f" (line {error.lineno})" if isinstance(error, json.JSONDecodeError) else ""
        raise FileError(
            f"'{place}' is not an Impeto model: it is not valid JSON{where}."
        ) from error
    try:
        return decode(data)
    except FileError as error:
        raise FileError(f"'{place}': {error}") from None


def _no_number(word: str) -> float:
    raise ValueError(f"{word} is not a number")


def save(model: Model, path: str | Path) -> None:
    """Write a model file in one step. Raises FileError and leaves the old file as it was."""
    with replacing(Path(path)) as temporary:
        temporary.write_text(to_text(model), encoding="utf-8")


def to_text(model: Model) -> str:
    return json_text.to_text(encode(model)) + "\n"


def schema_text() -> str:
    return json.dumps(schema(), indent=1, ensure_ascii=False) + "\n"


def demo_names() -> list[str]:
    """Names of the models that ship with Impeto."""
    folder = resources.files("impeto") / "demos"
    return sorted(f.name.removesuffix(SUFFIX) for f in folder.iterdir() if f.name.endswith(SUFFIX))


def load_demo(name: str) -> Model:
    """A shipped model by name."""
    if name not in demo_names():
        raise FileError(f"There is no demo '{name}'. There is: {', '.join(demo_names())}.")
    with resources.as_file(resources.files("impeto") / "demos") as folder:
        return load(folder / f"{name}{SUFFIX}")
