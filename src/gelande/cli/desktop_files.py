"""What a desktop and a shell read of Gelande: menu entry, type of recipes and their thumbnails, metadata, man page and
completions; all made from the command line as it is."""

from __future__ import annotations

import argparse
from collections.abc import Iterator
from importlib import resources

from gelande import __version__

MIME = "application/x-gelande-recipe"
NAME, ID = "gelande", "org.gelande.Gelande"
ICON = "application-x-gelande-recipe"
#: When this version came out.
DAY = "2026-12-02"

ENTRY = """[Desktop Entry]
Type=Application
Version=1.1
Name=Gelande
GenericName=Landscape recipes
Comment=Makes landscapes from graphs of nodes, and delivers them
Exec={command} open %f
Icon=gelande
Terminal=false
Categories=Graphics;3DGraphics;
MimeType={mime};
StartupWMClass=gelande
Keywords=terrain;landscape;heightfield;erosion;
"""

TYPE = """<?xml version="1.0" encoding="UTF-8"?>
<mime-info xmlns="http://www.freedesktop.org/standards/shared-mime-info">
  <mime-type type="{mime}">
    <comment>Gelande recipe</comment>
    <sub-class-of type="application/json"/>
    <icon name="{icon}"/>
    <glob pattern="*.gelande"/>
  </mime-type>
</mime-info>
"""

THUMBNAILER = """[Thumbnailer Entry]
Exec={command} thumbnail %i %o %s
MimeType={mime};
"""

METADATA = """<?xml version="1.0" encoding="UTF-8"?>
<component type="desktop-application">
  <id>{id}</id>
  <metadata_license>CC0-1.0</metadata_license>
  <project_license>GPL-3.0-or-later</project_license>
  <name>Gelande</name>
  <summary>Landscapes from graphs of nodes, for games and film</summary>
  <developer id="org.gelande"><name>The Gelande founders</name></developer>
  <description>
    <p>A technical artist builds a graph of noise, landforms, terracing, erosion and masks on heights, and publishes its
    seeds and key settings. Environment artists regenerate landscapes from it and deliver height, mask and colour files
    to engines.</p>
    <ul>
      <li>Simulations of rain, scree, streams, lakes, wind, rivers and glaciers that look the same at every detail</li>
      <li>A control sheet with presets, kept areas, and variants side by side with their figures</li>
      <li>Files for engines, 3D packages and maps, each read back after it was written</li>
    </ul>
  </description>
  <launchable type="desktop-id">gelande.desktop</launchable>
  <provides><binary>gelande</binary><mediatype>{mime}</mediatype></provides>
  <categories><category>Graphics</category><category>3DGraphics</category></categories>
  <keywords><keyword>terrain</keyword><keyword>heightfield</keyword><keyword>erosion</keyword></keywords>
  <content_rating type="oars-1.1"/>
  <releases><release version="{version}" date="{day}"/></releases>
</component>
"""


def files(command: str, parser: argparse.ArgumentParser) -> dict[str, str]:
    """All of them, by their places below a share folder. command: that starts the program, as a menu entry has it."""
    desktop = resources.files("gelande") / "app" / "desktop"
    icons = "icons/hicolor/scalable"
    symbolic = (desktop / "gelande-symbolic.svg").read_text()
    return {
        f"applications/{NAME}.desktop": ENTRY.format(command=command, mime=MIME),
        f"mime/packages/{NAME}.xml": TYPE.format(mime=MIME, icon=ICON),
        f"thumbnailers/{NAME}.thumbnailer": THUMBNAILER.format(command=command, mime=MIME),
        f"metainfo/{ID}.metainfo.xml": METADATA.format(id=ID, mime=MIME, version=__version__, day=DAY),
        f"{icons}/apps/{NAME}.svg": (desktop / "gelande.svg").read_text(),
        f"icons/hicolor/symbolic/apps/{NAME}-symbolic.svg": symbolic,
        f"{icons}/mimetypes/{ICON}.svg": (desktop / "recipe.svg").read_text(),
        f"man/man1/{NAME}.1": man_page(parser),
        f"bash-completion/completions/{NAME}": bash(parser),
        f"zsh/site-functions/_{NAME}": zsh(parser),
        f"fish/vendor_completions.d/{NAME}.fish": fish(parser),
    }


def commands(parser: argparse.ArgumentParser) -> Iterator[tuple[str, str, argparse.ArgumentParser]]:
    """(name, help, its own parser) of every command."""
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction):
            told = {one.dest: one.help or "" for one in action._choices_actions}
            for name, own in action.choices.items():
                yield name, told.get(name, ""), own


def _options(parser: argparse.ArgumentParser) -> Iterator[argparse.Action]:
    for action in parser._actions:
        if action.help != argparse.SUPPRESS and not isinstance(action, argparse._SubParsersAction):
            yield action


# -- man page -----------------------------------------------------------------------------------------------------
def _roff(text: str) -> str:
    """Text as a man page takes it."""
    text = text.replace("\\", "\\e").replace("-", "\\-")
    return "\n".join("\\&" + line if line.startswith((".", "'")) else line for line in text.split("\n"))


def man_page(parser: argparse.ArgumentParser) -> str:
    """The page of the program in section 1."""
    lines = [
        f'.TH GELANDE 1 "{DAY}" "Gelande {__version__}" "User commands"',
        ".SH NAME",
        "gelande \\- landscapes from graphs of nodes",
        ".SH SYNOPSIS",
        ".B gelande",
        "[\\fIcommand\\fR] [\\fIoptions\\fR]",
        ".SH DESCRIPTION",
        _roff(parser.description or "Builds, regenerates and delivers landscapes."),
        ".SH COMMANDS",
    ]
    for name, told, own in commands(parser):
        lines += [f".SS {_roff(name)}", _roff((own.description or told).strip())]
        for action in _options(own):
            if action.dest == "help":
                continue
            words = ", ".join(action.option_strings) or action.dest
            if action.option_strings and action.nargs != 0:
                words += f" {action.metavar or action.dest.upper()}"
            lines += [".TP", f"\\fB{_roff(words)}\\fR", _roff(_help_of(action)) or "\\&"]
    lines += [
        ".SH EXIT STATUS",
        "0 when all is done, 1 when something failed, 2 for input that cannot be used, 130 when it was stopped.",
        ".SH FILES",
        ".TP",
        "\\fI~/.local/state/gelande\\fR",
        "Unsaved work, the log, and results that are kept; GELANDE_STATE names another folder.",
        "",
    ]
    return "\n".join(lines)


def _help_of(action: argparse.Action) -> str:
    text = str(action.help or "").replace("%%", "%")
    return text[:1].upper() + text[1:] + ("." if text and not text.endswith(".") else "")


# -- completions --------------------------------------------------------------------------------------------------
def bash(parser: argparse.ArgumentParser) -> str:
    """Completion of commands, options and files for bash."""
    cases = []
    for name, _, own in commands(parser):
        words = " ".join(w for action in _options(own) for w in action.option_strings)
        choices = " ".join(str(c) for action in _options(own) if action.choices for c in action.choices)
        cases.append(f'    {name}) words="{f"{words} {choices}".strip()}" ;;')
    names = " ".join(name for name, _, _ in commands(parser))
    return f"""# bash completion of gelande
_gelande() {{
  local word="${{COMP_WORDS[COMP_CWORD]}}" words=""
  if [ "$COMP_CWORD" -eq 1 ]; then
    COMPREPLY=($(compgen -W "{names} --help --version" -- "$word") $(compgen -f -X '!*.gelande' -- "$word"))
    return
  fi
  case "${{COMP_WORDS[1]}}" in
{chr(10).join(cases)}
  esac
  COMPREPLY=($(compgen -W "$words" -- "$word") $(compgen -f -- "$word"))
}}
complete -o filenames -F _gelande gelande
"""


def _plain(text: str) -> str:
    """Text within single quotes and brackets of a shell."""
    return text.replace("'", "’").replace("[", "(").replace("]", ")").replace(":", ",").replace("%%", "%")


def zsh(parser: argparse.ArgumentParser) -> str:
    """Completion for zsh."""
    listed = "\n".join(f"    '{name}:{_plain(told)}'" for name, told, _ in commands(parser))
    cases = []
    for name, _, own in commands(parser):
        options = " ".join(
            f"'{word}[{_plain(str(action.help or ''))}]{'' if action.nargs == 0 else ':value:_files'}'"
            for action in _options(own)
            for word in action.option_strings
        )
        cases.append(f"    {name}) _arguments {options} '*:file:_files' ;;")
    return f"""#compdef gelande
local -a commands
if (( CURRENT == 2 )); then
  commands=(
{listed}
  )
  _describe command commands
  _files -g '*.gelande'
else
  local command=$words[2]
  shift words
  (( CURRENT-- ))
  case $command in
{chr(10).join(cases)}
  esac
fi
"""


def fish(parser: argparse.ArgumentParser) -> str:
    """Completion for fish."""
    lines = ["# fish completion of gelande"]
    for name, told, own in commands(parser):
        lines.append(f"complete -c gelande -n __fish_use_subcommand -a {name} -d '{_plain(told)}'")
        for action in _options(own):
            for word in (w for w in action.option_strings if w.startswith("--")):
                takes = "" if action.nargs == 0 else " -r"
                about = _plain(str(action.help or ""))
                lines.append(
                    f"complete -c gelande -n '__fish_seen_subcommand_from {name}' -l {word[2:]}{takes} -d '{about}'"
                )
    return "\n".join(lines) + "\n"
