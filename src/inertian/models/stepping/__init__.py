"""A model written as a program and run step by step, or by an adaptive reference with its
sensitivities. It knows no samples of a trial.
"""
