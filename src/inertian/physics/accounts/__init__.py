"""A collision's account: its correlated inputs, the laws, the ledger, the verdict.

Imports the rooms below. Must never know of strips or of how an account is shown.
"""
