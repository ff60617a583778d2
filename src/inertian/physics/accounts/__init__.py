"""A collision's account: its correlated inputs, the laws, the ledger, the verdict.

Imports `definitions`. Must never know of strips or of readings that a person named.
"""
