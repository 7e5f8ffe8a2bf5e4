"""Recipes: how a hand-off turns masters into files of one kind. One module for those that are alike."""

from zeitbild.handoff.recipes._base import RECEIVERS, Recipe, recipes

__all__ = ["RECEIVERS", "Recipe", "recipes"]
