"""The second look: what is likely wrong with a trial, with evidence, and an edit that would put it
right.

One rule is one function from a case to notes. Imports the rest of `analysis` and what lies below.
Must never know how notes are shown.
"""
