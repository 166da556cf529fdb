"""Fill proposes pieces stacked in a bay, the cheapest places first.

No other proposer may come in here, but for what all recipes share.
"""
