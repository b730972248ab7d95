# frozen_string_literal: true

# Written by scripts/contract.mjs from contract/veil.json.
module AmberAgent
  module VeilRules
    HIDDEN = '•••'

    NAMES = 'pass(?:word|wd|phrase)' \
            '|pwd' \
            '|secret' \
            '|token' \
            '|authori[sz]ation' \
            '|cookie' \
            '|api_?key' \
            '|access_?key' \
            '|private_?key' \
            '|credential' \
            '|session_?id' \
            '|sessid' \
            '|(?<![a-z])(?:jwt|otp|ssn|iban|cvv|cvc|pin|card)(?![a-z])' \
            '|card_?n(?:umber|o)'

    # A text without one of these, in whatever case, says nothing that is to be hidden.
    STEMS = [
      'passw', 'passp', 'pwd', 'secret', 'token', 'authori', 'cookie', 'key', 'credential', 'sess',
      'jwt', 'otp', 'ssn', 'iban', 'cvv', 'cvc', 'pin', 'card', 'bearer', 'basic', 'digest', 'eyj',
      '://',
    ].freeze

    # For each pattern what it needs one of; and what comes before the names in it, and behind them.
    TEXTS = [
      # a password in an address
      [["://"], ['(://[^\\s/:@]{0,100}:)[^\\s/@]{1,300}(?=@)']],
      # a header, to the end of its line
      [["authori", "cookie"], ['((?:authori[sz]ation|cookie)["\']?\\s{0,4}:\\s{0,4})(?![\\s"\'\\\\{\\[•])[^\\r\\n"\'\\\\]+']],
      # a field of a form in parts
      [["\\n", "\n"], ['("[\\w-]{0,40}(?:', ')[\\w-]{0,40}\\\\*"(?:\\\\r)?\\r?(?:\\n|\\\\n)(?:[^\\r\\n\\\\]{1,200}(?:\\\\r)?\\r?(?:\\n|\\\\n)){0,3}(?:\\\\r)?\\r?(?:\\n|\\\\n))[^\\r\\n\\\\]+']],
      # a value with its name
      [["=", ":"], ['((?:', ')[\\w-]{0,40}\\\\*["\']?\\]?\\s{0,4}(?:=>|=(?!=)|:(?!:))\\s{0,4})(?:\\\\+"[^"\\\\]*(?:\\\\+")?|"(?:[^"\\\\]|\\\\.)*"?|\'(?:[^\'\\\\]|\\\\.)*\'?|[^\\s,;&)}\\]>"\'\\\\•]+)']],
      # a pair of a name and its value
      [[","], ['((?:', ')[\\w-]{0,40}\\\\*["\'],\\s{0,4}b?)(?:\\\\+"[^"\\\\]*(?:\\\\+")?|"(?:[^"\\\\]|\\\\.)*"?|\'(?:[^\'\\\\]|\\\\.)*\'?)']],
      # an element of XML
      [["</"], ['((?:', ')[\\w-]{0,40}>)[^<>]{1,400}(?=</)']],
      # a scheme of authorization
      [["bearer", "basic", "digest"], ['(\\b(?:bearer|basic|digest)\\s{1,4})(?=\\S{0,100}[0-9=])[\\w+/.~=-]{6,}']],
      # a signed token
      [["eyj"], ['()\\beyJ[\\w-]{6,}\\.[\\w-]{4,}(?:\\.[\\w-]*)?']],
    ].freeze
  end
end
