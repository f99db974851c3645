"""Clips: films whose pictures are measured, one by one.

A film comes in pieces (`sending`), is made ready in a worker (`preparing`), is stepped through and
marked (`flows`, `places`), and becomes a run of its own kind (`kind`).
"""
