"""Keeps the screen on while a night is under way, where the desktop has the usual service for it."""

from __future__ import annotations

from PySide6.QtDBus import QDBusConnection, QDBusInterface, QDBusMessage

SERVICE, PATH = "org.freedesktop.ScreenSaver", "/org/freedesktop/ScreenSaver"


class Awake:
    """Inhibits the screen saver (freedesktop.org, Idle Inhibition Service); without such a service it does nothing."""

    def __init__(self) -> None:
        self._cookie: int | None = None

    def keep(self, on: bool) -> None:
        if on is (self._cookie is not None):
            return
        bus = QDBusConnection.sessionBus()
        if not bus.isConnected():
            return
        service = QDBusInterface(SERVICE, PATH, SERVICE, bus)
        if on:
            reply = service.call("Inhibit", "Juxtatune", "a night is under way")
            fine = reply.type() == QDBusMessage.MessageType.ReplyMessage and reply.arguments()
            self._cookie = int(reply.arguments()[0]) if fine else None
        else:
            service.call("UnInhibit", self._cookie)
            self._cookie = None
