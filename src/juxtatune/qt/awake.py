"""Keeps the screen on while a night is under way, where the desktop has the usual service for it."""

from __future__ import annotations

from PySide6.QtDBus import QDBusConnection, QDBusInterface, QDBusMessage

WAIT_MS = 500
SERVICE, PATH = "org.freedesktop.ScreenSaver", "/org/freedesktop/ScreenSaver"


class Awake:
    """Inhibits the screen saver (freedesktop.org, Idle Inhibition Service); without such a service it does nothing."""

    def __init__(self) -> None:
        self._on = False
        self._cookie: int | None = None

    def keep(self, on: bool) -> None:
        """Asks once for each change, and waits half a second at most."""
        if on is self._on:
            return
        self._on = on
        bus = QDBusConnection.sessionBus()
        if not bus.isConnected():
            return
        service = QDBusInterface(SERVICE, PATH, SERVICE, bus)
        service.setTimeout(WAIT_MS)
        if on:
            reply = service.call("Inhibit", "Juxtatune", "a night is under way")
            fine = reply.type() == QDBusMessage.MessageType.ReplyMessage and reply.arguments()
            self._cookie = int(reply.arguments()[0]) if fine else None
        elif self._cookie is not None:
            service.call("UnInhibit", self._cookie)
            self._cookie = None
