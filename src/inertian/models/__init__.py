"""Forces put together, stepped in time, fitted to a trial, and held to the ledger.

Imports physics, motion and quantities. It never knows projects, files, windows or reports: it is
given a trial as it is read, and a model.
"""
