"""The window itself: application, actions, files of projects, prefetching, screenshots.

The top room: imports all others of `desktop`, and none imports it.
"""
