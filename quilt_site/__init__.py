"""Settings, urls and wsgi of the site."""
