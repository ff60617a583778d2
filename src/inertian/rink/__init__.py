"""The demo scenario: a day at the ice rink, simulated, with instruments that err as real ones do."""
