"""Drawstring: from a folder of renders to a proven package.

The rooms, from the ground up: `core` computes, `store` remembers, `runs` carries out, `web` and
`cli` talk to people. `standins` plays the outside world for the demo. Imports go down only.
"""

__version__ = "0.1.0"
