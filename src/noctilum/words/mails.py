"""What mails to people of the agency and its clients say."""

from __future__ import annotations

from noctilum.words.teller import message

INVITATION = (
    message("{agency} invites you"),
    message("Choose a password and look at your reports: {address}"),
    message("The address works once, for seven days."),
)
RESET = (
    message("A new password for {agency}"),
    message("Choose a new password: {address}"),
    message("The address works once, for two hours. If you did not ask for it, leave it."),
)
"""Subject, what it is for, and how long it holds."""
