"""The frame of all pages: base template, shared elements, marks, error pages, shipped assets.

Imports nothing of the other apps.
"""
