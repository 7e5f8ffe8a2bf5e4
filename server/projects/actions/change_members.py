"""Who is in a project, and as what. A project keeps at least one owner."""

from __future__ import annotations

from django.contrib.auth.models import User

from projects.models import Membership, Project, Role
from zeitbild.errors import InputError
from zeitbild_server.writing import writing


def _role(name: str) -> Role:
    if name not in Role.values:
        raise InputError(f"{name!r} is no role; there are {', '.join(Role.values)}", "role")
    return Role(name)


def _keep_an_owner(project: Project, leaving: Membership) -> None:
    others = project.memberships.filter(role=Role.OWNER).exclude(id=leaving.id)
    if leaving.role == Role.OWNER and not others.exists():
        raise InputError("A project keeps at least one owner; make somebody else an owner first.", "role")


def add_member(project: Project, username: str, role: str) -> Membership:
    """Let another person into a project; InputError if nobody has that name, or is in it already."""
    user = User.objects.filter(username=username, is_active=True).first()
    if user is None:
        raise InputError(f"nobody here is called {username!r}", "username")
    with writing():
        if project.memberships.filter(user=user).exists():
            raise InputError(f"{username} is in this project already", "username")
        return Membership.objects.create(project=project, user=user, role=_role(role))


def change_role(project: Project, member: Membership, role: str) -> Membership:
    """Make a member something else."""
    wanted = _role(role)
    with writing():
        if wanted != Role.OWNER:
            _keep_an_owner(project, member)
        member.role = wanted
        member.save(update_fields=["role"])
    return member


def remove_member(project: Project, member: Membership) -> None:
    """Put a person out of a project; what that person made stays."""
    with writing():
        _keep_an_owner(project, member)
        member.delete()
