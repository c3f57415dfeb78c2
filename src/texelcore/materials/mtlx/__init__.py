"""Masters as MaterialX 1.39: standard nodes alone, under its glTF surface."""
