"""Project endpoints."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.contrib.auth.models import User
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Schema

from journal.writing import DEEDS, entries_of, note
from projects.actions.change_members import add_member, change_role, remove_member
from projects.actions.change_project import change_project, delete_project, restore_project
from projects.actions.create_project import create_project
from projects.actions.duplicate_project import duplicate_project
from projects.actions.keep_naming_rule import forget_naming_rule, keep_naming_rule
from projects.models import Project, Role
from projects.selectors import demand, members_of, project_for, projects_of, role_of
from zeitbild_server.security import signed_in

router = Router(tags=["projects"])
#: Entries of the journal that are given at once.
_PAGE = 100
#: Shots whose pictures stand for a project.
_SHOWN = 5


class ProjectIn(Schema):
    """What a project is called and what its shots start with."""

    code: str
    title: str
    defaults: dict[str, Any] = {}


class ShownOut(Schema):
    """A shot whose picture stands for its project, and which revision of it."""

    shot: int
    title: str
    revision: int


class ProjectOut(Schema):
    """A project as listed."""

    id: int
    code: str
    title: str
    defaults: dict[str, Any]
    shot_count: int
    role: str
    shown: list[ShownOut]


class RuleOut(Schema):
    """A file-name rule that is kept under a name."""

    name: str
    rule: str


class MemberOut(Schema):
    """A person's place in a project."""

    id: int
    username: str
    role: str
    you: bool


class MemberIn(Schema):
    """A person to share with, and as what."""

    username: str
    role: str = "editor"


class RoleIn(Schema):
    """What a member is to be."""

    role: str


class EntryOut(Schema):
    """Something that somebody did."""

    id: int
    at: datetime
    name: str
    address: str
    what: str
    about: str


def _out(user: User, project: Project) -> ProjectOut:
    shots = project.shots.filter(deleted_at=None)
    # What was worked on last comes first.
    newest = shots.exclude(current=None).order_by("-current_id")[:_SHOWN]
    return ProjectOut(
        id=project.id,
        code=project.code,
        title=project.title,
        defaults=project.defaults,
        shot_count=shots.count(),
        role=role_of(user, project) or Role.VIEWER,
        shown=[ShownOut(shot=one.id, title=str(one), revision=one.current_id or 0) for one in newest],
    )


def _rules(rules: dict[str, str]) -> list[RuleOut]:
    return [RuleOut(name=name, rule=rules[name]) for name in sorted(rules, key=str.casefold)]


def _members(user: User, project: Project) -> list[MemberOut]:
    return [
        MemberOut(id=one.id, username=one.user.username, role=one.role, you=one.user_id == user.id)
        for one in members_of(project)
    ]


@router.get("/projects", response=list[ProjectOut], operation_id="listProjects")
def list_projects(request: HttpRequest, deleted: bool = False) -> list[ProjectOut]:
    """Own projects, or the deleted ones."""
    user = signed_in(request)
    return [_out(user, project) for project in projects_of(user, deleted=deleted)]


@router.post("/projects", response=ProjectOut, operation_id="createProject")
def create(request: HttpRequest, data: ProjectIn) -> ProjectOut:
    """Make a project."""
    user = signed_in(request)
    return _out(user, create_project(user, code=data.code, title=data.title, defaults=data.defaults))


@router.get("/projects/{project_id}", response=ProjectOut, operation_id="getProject")
def get(request: HttpRequest, project_id: int) -> ProjectOut:
    """One project."""
    user = signed_in(request)
    return _out(user, project_for(user, project_id))


@router.get("/projects/{project_id}/naming-rules", response=list[RuleOut], operation_id="listNamingRules")
def list_rules(request: HttpRequest, project_id: int) -> list[RuleOut]:
    """File-name rules that the project keeps."""
    return _rules(project_for(signed_in(request), project_id).naming_rules)


@router.post("/projects/{project_id}/naming-rules", response=list[RuleOut], operation_id="keepNamingRule")
def keep_rule(request: HttpRequest, project_id: int, data: RuleOut) -> list[RuleOut]:
    """Keep a rule under a name."""
    project = project_for(signed_in(request), project_id, least=Role.EDITOR)
    return _rules(keep_naming_rule(project, data.name, data.rule))


@router.delete("/projects/{project_id}/naming-rules", response=list[RuleOut], operation_id="forgetNamingRule")
def forget_rule(request: HttpRequest, project_id: int, name: str = "") -> list[RuleOut]:
    """Remove a kept rule."""
    project = project_for(signed_in(request), project_id, least=Role.EDITOR)
    return _rules(forget_naming_rule(project, name))


@router.put("/projects/{project_id}", response=ProjectOut, operation_id="changeProject")
def change(request: HttpRequest, project_id: int, data: ProjectIn) -> ProjectOut:
    """Rename a project or change its defaults."""
    user = signed_in(request)
    project = project_for(user, project_id, least=Role.EDITOR)
    return _out(user, change_project(project, code=data.code, title=data.title, defaults=data.defaults))


@router.delete("/projects/{project_id}", response={204: None}, operation_id="deleteProject")
def delete(request: HttpRequest, project_id: int) -> tuple[int, None]:
    """Put a project away."""
    user = signed_in(request)
    project = project_for(user, project_id, least=Role.OWNER)
    delete_project(project)
    note("project-deleted", request, user=user, project=project)
    return 204, None


@router.post("/projects/{project_id}/restore", response=ProjectOut, operation_id="restoreProject")
def restore(request: HttpRequest, project_id: int) -> ProjectOut:
    """Bring a deleted project back."""
    user = signed_in(request)
    project = project_for(user, project_id, deleted=True, least=Role.OWNER)
    restore_project(project)
    note("project-restored", request, user=user, project=project)
    return _out(user, project)


@router.post("/projects/{project_id}/duplicate", response=ProjectOut, operation_id="duplicateProject")
def duplicate(request: HttpRequest, project_id: int) -> ProjectOut:
    """Copy a project with its shots."""
    user = signed_in(request)
    return _out(user, duplicate_project(user, project_for(user, project_id, least=Role.EDITOR)))


@router.get("/projects/{project_id}/members", response=list[MemberOut], operation_id="listMembers")
def list_members(request: HttpRequest, project_id: int) -> list[MemberOut]:
    """Who is in a project, owners first."""
    user = signed_in(request)
    return _members(user, project_for(user, project_id))


@router.post("/projects/{project_id}/members", response=list[MemberOut], operation_id="addMember")
def share(request: HttpRequest, project_id: int, data: MemberIn) -> list[MemberOut]:
    """Let another person into a project."""
    user = signed_in(request)
    project = project_for(user, project_id, least=Role.OWNER)
    member = add_member(project, data.username, data.role)
    note("shared", request, user=user, project=project, about=f"{data.username}, {member.role}")
    return _members(user, project)


@router.put("/projects/{project_id}/members/{member_id}", response=list[MemberOut], operation_id="changeMember")
def change_member(request: HttpRequest, project_id: int, member_id: int, data: RoleIn) -> list[MemberOut]:
    """Make a member something else."""
    user = signed_in(request)
    project = project_for(user, project_id, least=Role.OWNER)
    member = get_object_or_404(project.memberships.select_related("user"), id=member_id)
    change_role(project, member, data.role)
    note("role-changed", request, user=user, project=project, about=f"{member.user.username}, {member.role}")
    return _members(user, project)


@router.delete("/projects/{project_id}/members/{member_id}", response={204: None}, operation_id="removeMember")
def remove(request: HttpRequest, project_id: int, member_id: int) -> tuple[int, None]:
    """Put a person out of a project, or leave it."""
    user = signed_in(request)
    project = project_for(user, project_id)
    member = get_object_or_404(project.memberships.select_related("user"), id=member_id)
    leaves = member.user_id == user.id
    if not leaves:
        demand(user, project, Role.OWNER)
    remove_member(project, member)
    if leaves:
        note("left", request, user=user, project=project)
    else:
        note("member-removed", request, user=user, project=project, about=member.user.username)
    return 204, None


@router.get("/projects/{project_id}/journal", response=list[EntryOut], operation_id="getJournal")
def journal(request: HttpRequest, project_id: int, before: int = 0) -> list[EntryOut]:
    """Who did what, newest first, from an entry on backwards; for owners."""
    project = project_for(signed_in(request), project_id, least=Role.OWNER)
    entries = entries_of(project).filter(id__lt=before) if before else entries_of(project)
    return [
        EntryOut(
            id=one.id,
            at=one.at,
            name=one.name,
            address=one.address,
            what=DEEDS.get(one.what, one.what),
            about=one.about,
        )
        for one in entries[:_PAGE]
    ]
