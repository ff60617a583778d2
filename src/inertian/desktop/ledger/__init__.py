"""The stage of accounts: tables, intervals drawn to scale, budgets.

Imports `pages` and what lies below. Must never know of the window.
"""
