"""Grooves: templates made, changed and tried."""
