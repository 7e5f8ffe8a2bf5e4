"""Checks: one module a finding, found by scanning this package. They return findings, they never raise."""

from zeitbild.checks._base import Check, Finding, SetView, checks, find

__all__ = ["Check", "Finding", "SetView", "checks", "find"]
