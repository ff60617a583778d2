"""Accounts with dates: the event of a trial, forms and entries, their correlated inputs, the
ledger, the verdict, the results.

Imports the rooms below. Must never know of strips or of how an account is shown.
"""
