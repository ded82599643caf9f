"""Open formats in and out: pure functions from bytes or text to craft's dataclasses and back.

Nothing here knows of a table or a screen; the time, where a format needs it, is handed in.
"""
