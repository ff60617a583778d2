"""What a model is, as a value: its forces, their parameters, its start and its stepping rule; and
how forces are typed. It runs nothing.
"""
