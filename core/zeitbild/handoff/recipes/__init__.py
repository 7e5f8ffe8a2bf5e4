"""Recipes: how a hand-off turns masters into files of one kind. One module a recipe."""

from zeitbild.handoff.recipes._base import Recipe, recipes

__all__ = ["Recipe", "recipes"]
