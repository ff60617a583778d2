"""What all trials say together: a line through points with shared errors, what theory expects, what
a class does by hand, repeats, and trials laid over one another.

Imports `analysis.results` and what lies below. Must never know how a figure is drawn or written.
"""
