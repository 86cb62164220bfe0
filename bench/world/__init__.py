"""Organisations drawn from a seed, with their types, senders and papers: a broad world to measure on.

Judging seeds are looked at by the bench alone, never page by page. See ``judging.py``.
"""
