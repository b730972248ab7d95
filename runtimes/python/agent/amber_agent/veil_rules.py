"""Written by scripts/contract.mjs from contract/veil.json."""

HIDDEN = "•••"

NAMES = (
    r"pass(?:word|wd|phrase)"
    r"|pwd"
    r"|secret"
    r"|token"
    r"|authori[sz]ation"
    r"|cookie"
    r"|api_?key"
    r"|access_?key"
    r"|private_?key"
    r"|credential"
    r"|session_?id"
    r"|sessid"
    r"|(?<![a-z])(?:jwt|otp|ssn|iban|cvv|cvc|pin|card)(?![a-z])"
    r"|card_?n(?:umber|o)"
)

# A text without one of these, in whatever case, says nothing that is to be hidden.
STEMS = (
    "passw", "passp", "pwd", "secret", "token", "authori", "cookie", "key", "credential", "sess",
    "jwt", "otp", "ssn", "iban", "cvv", "cvc", "pin", "card", "bearer", "basic", "digest", "eyj",
    "://",
)

# For each pattern what it needs one of; and what comes before the names in it, and behind them.
TEXTS = (
    # a password in an address
    (("://",), (r'''(://[^\s/:@]{0,100}:)[^\s/@]{1,300}(?=@)''',)),
    # a header, to the end of its line
    (("authori", "cookie",), (r'''((?:authori[sz]ation|cookie)["']?\s{0,4}:\s{0,4})(?![\s"'\\{\[•])[^\r\n"'\\]+''',)),
    # a field of a form in parts
    (("\\n", "\n",), (r'''("[\w-]{0,40}(?:''', r''')[\w-]{0,40}\\*"(?:\\r)?\r?(?:\n|\\n)(?:[^\r\n\\]{1,200}(?:\\r)?\r?(?:\n|\\n)){0,3}(?:\\r)?\r?(?:\n|\\n))[^\r\n\\]+''')),
    # a value with its name
    (("=", ":",), (r'''((?:''', r''')[\w-]{0,40}\\*["']?\]?\s{0,4}(?:=>|=(?!=)|:(?!:))\s{0,4})(?:\\+"[^"\\]*(?:\\+")?|"(?:[^"\\]|\\.)*"?|'(?:[^'\\]|\\.)*'?|[^\s,;&)}\]>"'\\•]+)''')),
    # a pair of a name and its value
    ((",",), (r'''((?:''', r''')[\w-]{0,40}\\*["'],\s{0,4}b?)(?:\\+"[^"\\]*(?:\\+")?|"(?:[^"\\]|\\.)*"?|'(?:[^'\\]|\\.)*'?)''')),
    # an element of XML
    (("</",), (r'''((?:''', r''')[\w-]{0,40}>)[^<>]{1,400}(?=</)''')),
    # a scheme of authorization
    (("bearer", "basic", "digest",), (r'''(\b(?:bearer|basic|digest)\s{1,4})(?=\S{0,100}[0-9=])[\w+/.~=-]{6,}''',)),
    # a signed token
    (("eyj",), (r'''()\beyJ[\w-]{6,}\.[\w-]{4,}(?:\.[\w-]*)?''',)),
)
