"""The rules of the job: plain Python without interface code. Imports no Django and opens no socket."""
