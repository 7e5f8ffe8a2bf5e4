"""The typed shot document: its parts, its versions and its JSON schema.

``shot`` and ``reading`` are imported by name and not re-exported here, because element kinds build on ``values`` while
the shot itself builds on the element kinds.
"""
