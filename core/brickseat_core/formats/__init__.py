"""Files in and out: glTF sets and props, other mesh formats, reports.

The only room that knows file formats. It stands at the edge: nothing inside the core imports it.
"""
