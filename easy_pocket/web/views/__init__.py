"""View models: results of the core as geometry and words for the templates."""
