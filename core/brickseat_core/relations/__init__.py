"""What belongs together: seats and joins, lining up, ties that moves obey, and cut-outs. All on the true meshes.

No moves, no file formats, no web and no database may come in here.
"""
