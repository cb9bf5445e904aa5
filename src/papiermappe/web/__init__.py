"""The web application: routes by station, server-rendered pages, live updates."""
