"""The rules of the job: pure computation on domain values. Imports no web, store or clock."""
