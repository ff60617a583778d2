"""The Project value, its edits and history, evaluation, saving and recovery."""
