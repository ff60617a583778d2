"""How things look and what they are called: theme, tokens, words, markers, numbers, fields,
messages.

Imports the core for the names of its kinds. Must never know of the document or of a stage.
"""
