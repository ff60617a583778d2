"""A model beside the samples of a trial: prediction, least squares, what residuals say, and the
accounts of both.
"""
