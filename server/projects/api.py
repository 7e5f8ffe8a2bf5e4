"""Project endpoints."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja import Router, Schema

from projects.actions.change_project import add_member, change_project, delete_project, restore_project
from projects.actions.create_project import create_project
from projects.actions.duplicate_project import duplicate_project
from projects.models import Project
from projects.selectors import project_for, projects_of
from zeitbild_server.security import signed_in

router = Router(tags=["projects"])


class ProjectIn(Schema):
    """What a project is called and what its shots start with."""

    code: str
    title: str
    defaults: dict[str, Any] = {}


class ProjectOut(Schema):
    """A project as listed."""

    id: int
    code: str
    title: str
    defaults: dict[str, Any]
    shot_count: int
    members: list[str]


class MemberIn(Schema):
    """A person to share with."""

    username: str


def _out(project: Project) -> ProjectOut:
    return ProjectOut(
        id=project.id,
        code=project.code,
        title=project.title,
        defaults=project.defaults,
        shot_count=project.shots.filter(deleted_at=None).count(),
        members=sorted(user.username for user in project.members.all()),
    )


@router.get("/projects", response=list[ProjectOut], operation_id="listProjects")
def list_projects(request: HttpRequest, deleted: bool = False) -> list[ProjectOut]:
    """Own projects, or the deleted ones."""
    return [_out(project) for project in projects_of(signed_in(request), deleted=deleted)]


@router.post("/projects", response=ProjectOut, operation_id="createProject")
def create(request: HttpRequest, data: ProjectIn) -> ProjectOut:
    """Make a project."""
    return _out(create_project(signed_in(request), code=data.code, title=data.title, defaults=data.defaults))


@router.get("/projects/{project_id}", response=ProjectOut, operation_id="getProject")
def get(request: HttpRequest, project_id: int) -> ProjectOut:
    """One project."""
    return _out(project_for(signed_in(request), project_id))


@router.put("/projects/{project_id}", response=ProjectOut, operation_id="changeProject")
def change(request: HttpRequest, project_id: int, data: ProjectIn) -> ProjectOut:
    """Rename a project or change its defaults."""
    project = project_for(signed_in(request), project_id)
    return _out(change_project(project, code=data.code, title=data.title, defaults=data.defaults))


@router.delete("/projects/{project_id}", response={204: None}, operation_id="deleteProject")
def delete(request: HttpRequest, project_id: int) -> tuple[int, None]:
    """Put a project away."""
    delete_project(project_for(signed_in(request), project_id))
    return 204, None


@router.post("/projects/{project_id}/restore", response=ProjectOut, operation_id="restoreProject")
def restore(request: HttpRequest, project_id: int) -> ProjectOut:
    """Bring a deleted project back."""
    project = project_for(signed_in(request), project_id, deleted=True)
    restore_project(project)
    return _out(project)


@router.post("/projects/{project_id}/duplicate", response=ProjectOut, operation_id="duplicateProject")
def duplicate(request: HttpRequest, project_id: int) -> ProjectOut:
    """Copy a project with its shots."""
    user = signed_in(request)
    return _out(duplicate_project(user, project_for(user, project_id)))


@router.post("/projects/{project_id}/members", response=ProjectOut, operation_id="addMember")
def share(request: HttpRequest, project_id: int, data: MemberIn) -> ProjectOut:
    """Let another person work on a project."""
    project = project_for(signed_in(request), project_id)
    add_member(project, data.username)
    return _out(project)
