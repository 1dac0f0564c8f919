"""The demo: the Tidewrack Watch, its pieces made by formula and its story in code."""
