"""File-name rules that a project keeps under names, to choose from."""

from __future__ import annotations

from projects.models import Project
from zeitbild.errors import InputError, LimitError
from zeitbild.naming import NamingRule
from zeitbild_server.writing import writing

MAX_RULES, MAX_NAME = 40, 60


def keep_naming_rule(project: Project, name: str, rule: str) -> dict[str, str]:
    """Keep a rule, in place of one of that name; gives all. NamingError if it cannot name files."""
    name = name.strip()
    if not 0 < len(name) <= MAX_NAME or not name.isprintable():
        raise InputError(f"a rule is kept under a name of 1 to {MAX_NAME} characters", "name")
    NamingRule.parse(rule)
    with writing():
        project = Project.objects.select_for_update().get(id=project.id)
        rules = {**project.naming_rules, name: rule}
        if len(rules) > MAX_RULES:
            raise LimitError(f"a project keeps {MAX_RULES} rules; remove one first", "name")
        project.naming_rules = rules
        project.save(update_fields=["naming_rules"])
    return rules


def forget_naming_rule(project: Project, name: str) -> dict[str, str]:
    """Remove a kept rule; shots that use it keep it. Gives all that are left."""
    with writing():
        project = Project.objects.select_for_update().get(id=project.id)
        rules: dict[str, str] = {one: rule for one, rule in project.naming_rules.items() if one != name}
        project.naming_rules = rules
        project.save(update_fields=["naming_rules"])
    return rules
