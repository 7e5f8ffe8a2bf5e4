"""Workers: who is there, what each has claimed, and how long it may keep that without being heard of."""
