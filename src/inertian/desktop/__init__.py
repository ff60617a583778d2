"""The window: PyQt6 widgets and nothing else. The only place that imports Qt."""
