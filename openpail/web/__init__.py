"""The screens. One folder per station or place, its templates beside its views.

Screens know no rules: a view loads or says 404, checks the permission, validates, calls one
action or one craft function, and shows what came back.
"""
