"""The fit check: the measured verdict on every contact, its reason in words, and its repair.

Files, the web and the command line may not come in here.
"""
