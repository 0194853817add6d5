"""Feel: from written hits to played hits, groove templates, and measures of a performance."""
