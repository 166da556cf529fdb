"""Long work: one runner, with progress, a way to stop, and what came of it. Jobs are kept in memory: a server that
dies leaves every set as it was.
"""
