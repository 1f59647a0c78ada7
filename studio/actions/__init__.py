"""What a user can do, one module per verb: check, change in one transaction, leave a revision."""
