"""The window. The only floor that imports Qt and pyqtgraph.

Rooms, low to high: `look`, `state`; `shelf`, `intake` and `bench` side by side; `pages`; `ledger`;
`shell`. Imports everything below. Must never compute what a script would need too.
"""
