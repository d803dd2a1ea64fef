"""Text from models and files is shown as it is written, never read as markup.

Qt guesses from the letters of a text whether it is markup, in labels, messages and tips; a name
could then make it load files. Labels say that they are plain (widgets.label) or escape what they
did not write; tips and messages go through here.
"""

from __future__ import annotations

import html


def escaped(text: str) -> str:
    """A text for a place that is markup."""
    return html.escape(text, quote=False)


def as_tip(text: str) -> str:
    """A tip or message that shows the letters of a text and its line ends."""
    return f"<qt>{escaped(text)}</qt>".replace("\n", "<br>")
