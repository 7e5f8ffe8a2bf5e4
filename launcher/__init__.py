"""What ``./zeitbild`` starts and watches. Nothing but the standard library: it runs before anything is
installed (``held`` runs afterwards)."""
