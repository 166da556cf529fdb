"""Row proposes places along a line or an edge."""
