"""Scatter proposes many pieces by rule, on surfaces, in the order in which they are laid.

No other proposer may come in here, but for what all recipes share.
"""
