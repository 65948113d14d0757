"""Times and dates as a player says them."""

from __future__ import annotations

from datetime import date, datetime, timedelta

from juxtatune.core.errors import UserError


def now_text() -> str:
    """The time now, ISO, to the second, with its zone."""
    return datetime.now().astimezone().isoformat(timespec="seconds")


def day(text: str, today: date) -> str:
    """An ISO date from `today`, `yesterday`, `12 days ago` or a date; empty stays empty. Raises UserError."""
    plain = text.strip().lower()
    if not plain:
        return ""
    if plain in ("today", "yesterday"):
        return (today - timedelta(days=plain == "yesterday")).isoformat()
    parts = plain.split()
    try:
        if len(parts) == 3 and parts[1] in ("day", "days") and parts[2] == "ago":
            return (today - timedelta(days=int(parts[0]))).isoformat()
        found = date.fromisoformat(plain)
    except (ValueError, OverflowError):
        raise UserError(f"{text[:40]!r} is no day", allowed="today, yesterday, 12 days ago, or 2026-11-20") from None
    if found > today:
        raise UserError(f"{found} is still to come", allowed="a day up to today")
    return found.isoformat()


def ago(iso: str, now: datetime) -> str:
    """`just now`, `20 min ago`, `3 h ago`, `yesterday`, `12 days ago`; what is no time gives nothing."""
    try:
        then = datetime.fromisoformat(iso)
    except ValueError:
        return ""
    if then.tzinfo is None:
        then = then.astimezone()
    minutes = (now - then).total_seconds() / 60
    if minutes < 1:
        return "just now"
    if minutes < 60:
        return f"{minutes:.0f} min ago"
    if minutes < 24 * 60 and then.date() == now.date():
        return f"{minutes / 60:.0f} h ago"
    return days_ago(then.date(), now.date())


def days_ago(then: date, today: date) -> str:
    days = (today - then).days
    return "today" if days <= 0 else "yesterday" if days == 1 else f"{days} days ago"
