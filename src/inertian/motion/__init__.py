"""Trials, spans, fits over spans, reading noise, glide deceleration and local derivatives."""
