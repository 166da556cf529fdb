"""The web application of Brick Seat: accounts, store, sets, live session, API, and the command line."""
