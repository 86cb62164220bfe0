"""Routines: rehearsed, told in a sentence, broken by rules that somebody points at."""
