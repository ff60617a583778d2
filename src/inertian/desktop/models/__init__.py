"""The models stage: curves of models over the samples, what they miss, their stepping and their
accounts; forces at the margin.
"""
