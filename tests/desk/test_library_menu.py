"""What the library's name in the header offers, also where answers come late, or not at all."""

import threading

import keyring.errors
from PyQt6.QtWidgets import QMenu

from zesty_abacus.core.library.address import library_address
from zesty_abacus.core.library.passwords import has_password, type_password
from zesty_abacus.core.library.store import Library
from zesty_abacus.desk.app.library_choice import use_library


def offered(pilot):
    """Click the library's name; return its menu."""
    button = pilot.window.header.library
    button.offer()
    return next(menu for menu in button.findChildren(QMenu) if menu.isVisible())


def test_releases_that_come_when_the_menu_is_closed_are_not_put_into_it(pilot, monkeypatch):
    """A server may take its time, and nobody waits for it with a menu open."""
    waits, releases = threading.Event(), pilot.session.library.releases
    asked = type(releases).all

    def slow(self):
        waits.wait(20)
        return asked(self)

    monkeypatch.setattr(type(releases), "all", slow)
    menu = offered(pilot)
    menu.close()
    pilot.wait(lambda: not pilot.window.header.library.findChildren(QMenu), "the end of the menu")
    waits.set()
    pilot.settle()


def entries(menu):
    return {action.text().partition("\t")[0]: action for action in menu.actions() if action.text()}


def test_the_password_of_a_server_is_forgotten_and_a_file_has_none(pilot, cluster, ring, monkeypatch):
    menu = offered(pilot)
    assert "Forget the password of its server" not in entries(menu)
    menu.close()
    database = cluster.new_database()
    where = cluster.address(database)
    Library.create(where, "guarded").close()
    use_library(pilot.session, where, tell=lambda *_: None)
    pilot.settle()
    menu = offered(pilot)
    pilot.settle()
    assert not entries(menu)["Forget the password of its server"].isEnabled(), "none is known"
    menu.close()
    type_password(library_address(where), "aye-aye", keep=True)
    menu = offered(pilot)
    pilot.wait(entries(menu)["Forget the password of its server"].isEnabled, "what the keyring says")

    def refuse(_self, _service, _username):
        raise keyring.errors.PasswordDeleteError("locked")

    with monkeypatch.context() as patched:
        patched.setattr(type(ring), "delete_password", refuse)
        entries(menu)["Forget the password of its server"].trigger()
        pilot.settle()
        assert "does not let go of the password" in pilot.window.foot.told.text()
    entries(menu)["Forget the password of its server"].trigger()
    pilot.settle()
    assert "is forgotten; it is asked for the next time" in pilot.window.foot.told.text()
    assert "aye-aye" not in pilot.window.foot.told.text() and ring.kept == {}
    assert not has_password(library_address(where))
