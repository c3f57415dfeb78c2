"""Who there is: sessions, accounts, invitations and roles."""
