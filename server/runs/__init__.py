"""Runs: a frozen shot rendered cell by cell, by the worker."""
