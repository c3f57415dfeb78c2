"""Masters, strands and variants: evaluation in NumPy, shader text for the browser, glTF."""
