"""Who did what: sign-ins, shares, deletions, hand-offs, downloads. Written once, never changed."""
