"""All files that a project brought along: where they are used, replaced, put away. Above files (``assets``) and shots, which know nothing of it."""
