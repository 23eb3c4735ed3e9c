"""The colours of the application, in light and in dark: the interface's style sheet is generated from here; reports and mails read them."""

LIGHT = {
    "paper": "#f6f1e6",
    "paper2": "#ece5d5",
    "hair": "#d9cfba",
    "ink": "#211d18",
    "ink2": "#5d554a",
    "ink3": "#6f675b",
    "ember": "#b8430f",
    "glow": "#f3d9c4",
    "row": "#efe3cd",
    "gain": "#0f6b66",
    "loss": "#a23b22",
}
DARK = {
    "paper": "#17140f",
    "paper2": "#211d17",
    "hair": "#393228",
    "ink": "#efe6d2",
    "ink2": "#b5a994",
    "ink3": "#8f8472",
    "ember": "#f0813f",
    "glow": "#4a2a15",
    "row": "#2b251c",
    "gain": "#5cc0b6",
    "loss": "#e58a6d",
}


def rgb(name: str) -> tuple[int, int, int]:
    """A colour of the light palette as red, green and blue, 0 to 255."""
    code = LIGHT[name].removeprefix("#")
    red, green, blue = (int(code[at : at + 2], 16) for at in (0, 2, 4))
    return red, green, blue


def style_sheet() -> str:
    """The palettes as custom properties."""

    def block(selector: str, colours: dict[str, str], scheme: str) -> str:
        lines = "".join(f"  --{name}: {code};\n" for name, code in colours.items())
        return f"{selector} {{\n{lines}  color-scheme: {scheme};\n}}\n"

    return block(":root", LIGHT, "light") + "\n" + block("[data-theme='dark']", DARK, "dark")
