"""The how-to pages of docs/, read in the application."""
