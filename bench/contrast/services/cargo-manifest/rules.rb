# frozen_string_literal: true

# What is known of each kind of cargo.
RULES = {
  'timber' => { dry: true },
  'post' => { dry: true, quick: true },
  'gas' => { dangerous: true },
  'paint' => { dangerous: true, dry: true }
}.freeze

def known?(kind)
  RULES.key?(kind)
end

def dangerous?(kind)
  rule = RULES.fetch(kind)
  danger = rule[:hazard]
  danger ? true : false
end

def dry?(kind)
  RULES.fetch(kind).fetch(:dry, false)
end
