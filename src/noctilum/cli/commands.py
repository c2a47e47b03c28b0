"""The one table of commands: name → module, help, group. Modules are imported only when asked for."""

from __future__ import annotations

from dataclasses import dataclass

from noctilum.cli._readings import READINGS


@dataclass(frozen=True)
class Command:
    """Point to a command's module, which has add_arguments(parser) and run(arguments)."""

    name: str
    module: str
    help: str
    group: str


COMMANDS: dict[str, Command] = {
    c.name: c
    for c in (
        *(Command(name, "reading", f"{summary[0].lower()}{summary[1:]}", group) for name, group, summary in READINGS),
        Command("init", "init", "lay out an install and add its first user", "Install"),
        Command("serve", "serve", "start the service and its worker", "Install"),
        Command("demo", "demo", "start the demo agency with its stand-in feed", "Install"),
        Command("token", "token", "make a bearer token for programs", "Install"),
        Command("users", "users", "list who may sign in, add, change or remove them", "People"),
        Command("tokens", "tokens", "list tokens of programs, make or revoke one", "People"),
        Command("sign-ins", "sign_ins", "list where people are signed in, and end it", "People"),
        Command("password", "password", "give somebody a new password, on the machine of the install", "People"),
        Command("import", "import_files", "bring files in: CSV, XLSX, NDJSON, Parquet", "Collect"),
        Command("add-files", "add_files", "give a site a source that only gets files", "Set up"),
        Command("mappings", "mappings", "list kept ways of reading files", "Collect"),
        Command("clients", "clients", "list clients, or add one", "Set up"),
        Command("sites", "sites", "list sites, or add one", "Set up"),
        Command("connect", "connect", "connect a feed's property to a site", "Set up"),
        Command("try", "try_feed", "see what a feed sends before it is connected", "Set up"),
        Command("sources", "sources", "list sources and what is held of them", "Collect"),
        Command("pull", "pull", "fetch every day due, with progress", "Collect"),
        Command("source", "source", "change a source: schedule, pause, secret, read apart", "Collect"),
        Command("refill", "refill", "ask a source again for gaps or a run of days", "Collect"),
        Command("jobs", "jobs", "list the newest jobs, or cancel one", "Collect"),
        Command("datasets", "datasets", "list what sources count: by what, and how it adds up", "Collect"),
        Command("notices", "notices", "list what somebody should know of", "Collect"),
        Command("portfolio", "portfolio", "show all sites at a glance", "Read"),
        Command("sets", "sets", "list saved sets, save one, try a rule", "Read"),
        Command("brand", "brand", "show what a site's brand terms find, try others, keep them", "Read"),
        Command("keywords", "keywords", "list tracked keywords, add some, change many, suggest more", "Ranks"),
        Command("places", "places", "find a place to look up from", "Ranks"),
        Command("competitors", "competitors", "list the domains a site is set beside, name one", "Ranks"),
        Command("grids", "grids", "list local grids, add one, write one as GeoJSON", "Ranks"),
        Command("check", "check", "look keywords up now", "Ranks"),
        Command("capture", "capture", "show a kept result page, or two beside each other", "Ranks"),
        Command("notes", "notes", "list dated notes, keep one, read what came of one", "Explain"),
        Command("work", "work", "list the worklist, put something on it, say what was done", "Act"),
        Command("monthly", "monthly", "show how far the clients' months were gone through, note a step", "Act"),
        Command("fleet", "fleet", "show days on which many sites moved at once", "Act"),
        Command("alerts", "alerts", "list what calls out, see to it, look anew", "Act"),
        Command("alert-rules", "alert_rules", "list rules of alerts, switch or narrow one, add one", "Act"),
        Command("trials", "trials", "list trials, plan one, end one", "Act"),
        Command("targets", "targets", "list targets, set one, move one, delete one", "Act"),
        Command("report", "report", "make a site's search report", "Report"),
        Command("templates", "templates", "list report templates, write one as TOML, take one", "Report"),
        Command("reports", "reports", "make reports of sites from templates, look them over, draft them", "Report"),
        Command("editions", "editions", "list editions, sign them off, get their files", "Report"),
        Command("due", "due", "list reports where they stand, make what is due", "Report"),
        Command("shares", "shares", "list shared pages, share an edition or a live page, take one back", "Report"),
        Command("webhooks", "webhooks", "list addresses that are told when something happens, add one", "Report"),
        Command("export", "export", "write raw days or a reading to a file", "Read"),
        Command("hand-over", "hand_over", "write a site's whole history to one file, or take one in", "Operate"),
        Command("backup", "backup", "copy a whole install, also while it runs", "Operate"),
        Command("restore", "restore", "take a backup back", "Operate"),
        Command("verify", "verify", "read everything that is held, and say what is wrong", "Operate"),
        Command("erase", "erase", "delete a client, a site or a source for good", "Operate"),
        Command("doctor", "doctor", "say what is wrong with an install, and what to do", "Operate"),
        Command("settings", "settings", "list every setting and where its value comes from", "Operate"),
        Command("health", "health", "say whether the service works", "Install"),
    )
}
