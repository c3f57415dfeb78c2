"""glTF 2.0: variants written, masters and meshes read."""
