"""The pages: routes parse, the store keeps, the core computes, view models turn results into geometry."""
