"""The web server: Flask behind waitress. `app.py` makes the application, `api/` has one blueprint
per noun under /api/v1, `guard.py` checks who may talk to it, `problems.py` answers errors,
`live.py` streams events. It sends nowhere.
"""
