"""Commands by words, menus and keys; the desks and the theme that they set."""

from pathlib import Path

from PyQt6.QtCore import Qt

CTRL = Qt.KeyboardModifier.ControlModifier
SHIFT = Qt.KeyboardModifier.ShiftModifier


def test_a_command_is_found_by_words_and_run_with_enter(window, hand, monkeypatch):
    from impeto.app.commands import CommandSearch

    def type_and_accept(dialog):
        hand.qtbot.keyClicks(dialog.search, "watch")
        hand.qtbot.keyClick(dialog.search, Qt.Key.Key_Return)
        return dialog.result()

    monkeypatch.setattr(CommandSearch, "exec", type_and_accept)
    hand.keys((Qt.Key.Key_K, CTRL))
    assert window.desk == "Watch"
    hand.keys((Qt.Key.Key_K, CTRL))
    assert len(window.findChildren(CommandSearch)) == 1


def test_menus_list_every_command_in_its_group_and_grey_what_cannot_be_done(
    window, hand, monkeypatch
):
    from PyQt6.QtWidgets import QMenu

    seen = {}

    def look(menu, _where):
        menu.aboutToShow.emit()
        for group in menu.actions():
            for action in group.menu().actions():
                inner = action.menu().actions() if action.menu() else [action]
                seen.update({a.text(): (group.text(), a.isEnabled()) for a in inner})
        menu.aboutToHide.emit()

    monkeypatch.setattr(QMenu, "exec", look)
    window._open_menu()
    listed = {command.title: command for command in window.commands.listed}
    assert listed.keys() <= seen.keys()
    assert all(seen[title][0] == command.group for title, command in listed.items())
    assert seen["Save"] == ("File", True)
    assert seen["Undo"] == ("Model", False)
    assert seen["Keep this instant as a start pose"] == ("Run", False)
    hand.keys((Qt.Key.Key_P, CTRL))  # the key says what is missing
    assert "run a case first" in window.toast.text()


def test_the_page_of_keys_has_every_command_and_is_made_once(window, hand):
    from impeto.app.keys_page import KeysPage

    hand.keys((Qt.Key.Key_F1, Qt.KeyboardModifier.ShiftModifier))
    (page,) = window.findChildren(KeysPage)
    assert page.isVisible()
    assert page.table.rowCount() > len(window.commands.listed)
    hand.qtbot.keyClicks(page.search, "clearance run")
    assert [page.table.item(0, k).text() for k in range(3)] == [
        "Ctrl+D", "Clearance between two bodies", "Run",
    ]  # fmt: skip
    page.close()
    window.show_keys()
    assert page.isVisible()
    assert page.search.text() == ""
    assert window.findChildren(KeysPage) == [page]
    guide = (Path(__file__).parents[2] / "docs" / "guide.md").read_text()
    told = {"Space": "Space", ",": "comma", ".": "full stop"} | {
        f"Alt+{number}": "Alt+1 to Alt+" for number in range(1, 10)
    }
    for command in window.commands.listed:
        assert not command.keys or told.get(command.keys, command.keys) in guide, command.title


def test_each_desk_shows_the_parts_of_its_record_by_its_keys(window, hand):
    from impeto.app.desks.desk import DESKS

    keys = (Qt.Key.Key_3, Qt.Key.Key_2, Qt.Key.Key_1)
    for key, desk in zip(keys, reversed(DESKS.values()), strict=True):
        hand.keys((key, CTRL))
        assert window.desk == desk.name
        assert window.strip.desk_buttons[desk.name].isChecked()
        for part, widget in window.parts.items():
            assert widget.isVisible() == desk.shows(part), (desk.name, part)


def test_dark_theme_is_kept_for_the_next_start(window, hand, settings):
    hand.keys((Qt.Key.Key_L, CTRL | SHIFT))
    assert window.look.name == "dark"
    assert settings.value("theme") == "dark"
    picture = window.stage.grab().toImage()
    assert picture.pixelColor(10, picture.height() // 2).lightness() < 60
