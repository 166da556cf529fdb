"""The one decision that a piece may lie where it is proposed, and the proof of what a change claims.

Who proposes (a recipe, a hand, a settle) comes in through here and knows nothing of how it is decided; no proposer may come in.
"""
