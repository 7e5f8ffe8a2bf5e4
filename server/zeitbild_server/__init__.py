"""The Django project: settings, the API, and the page that carries the front end."""
