"""Figures made ready to show: the one window in which title, caption and size are chosen, and from
which they are copied, written or dragged.

Imports `look` and `state`. Must never know which stage a figure comes from.
"""
