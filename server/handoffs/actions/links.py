"""Links by which anybody may look at a hand-off and download it, without signing in: for some days, and not after they are ended."""

from __future__ import annotations

from datetime import timedelta

from django.contrib.auth.models import User
from django.core import signing
from django.db.models import F, QuerySet
from django.utils import timezone

from handoffs.models import HandOff, Link
from zeitbild.errors import InputError, LimitError
from zeitbild_server.writing import writing

#: Days that a link may hold, and links of a hand-off that hold at once.
MOST_DAYS, MOST_LINKS = 90, 20
_SIGNER = signing.Signer(salt="zeitbild.handoffs.links", sep=".")


def token_of(link: Link) -> str:
    """What an address has to carry: signed with the installation's key, so that nobody can guess another's and none is stored."""
    return _SIGNER.sign(str(link.id))


def make_link(user: User, handoff: HandOff, days: int) -> Link:
    """A link to a finished hand-off. InputError for one that is not finished, or for days that there are not; LimitError for too many."""
    if handoff.state != HandOff.State.DONE:
        raise InputError("only what is written and verified can be shared")
    if not 1 <= days <= MOST_DAYS:
        raise InputError(f"a link holds from 1 to {MOST_DAYS} days", "days")
    with writing():
        if holding(handoff).count() >= MOST_LINKS:
            raise LimitError(f"a hand-off has up to {MOST_LINKS} links at a time; end one that is not needed", "days")
        until = timezone.now() + timedelta(days=days)
        return Link.objects.create(handoff=handoff, made_by=user, expires_at=until)


def holding(handoff: HandOff) -> QuerySet[Link]:
    """Links of a hand-off that lead to it now, newest first."""
    return handoff.links.filter(ended_at=None, expires_at__gt=timezone.now()).order_by("-id")


def end_link(handoff: HandOff, link_id: int) -> None:
    """Let a link lead nowhere from now on; nothing if it does already. InputError if the hand-off has no such."""
    with writing():
        if not handoff.links.filter(id=link_id).exists():
            raise InputError("there is no such link")
        handoff.links.filter(id=link_id, ended_at=None).update(ended_at=timezone.now())


def followed(token: str, *, counts: bool = False) -> Link | None:
    """The link of a token, if it leads anywhere; counted if somebody looks at its page."""
    try:
        number = int(_SIGNER.unsign(token))
    except (signing.BadSignature, ValueError):
        return None
    own = Link.objects.select_related("handoff", "handoff__shot", "handoff__shot__project")
    link = own.filter(id=number, ended_at=None, expires_at__gt=timezone.now()).first()
    if link is None or link.handoff.state != HandOff.State.DONE or link.handoff.shot.is_put_away:
        return None
    if counts:
        with writing():
            Link.objects.filter(id=link.id).update(visits=F("visits") + 1, last_at=timezone.now())
    return link
