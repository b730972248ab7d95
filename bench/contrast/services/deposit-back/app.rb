# frozen_string_literal: true

# Cups and bottles that are brought back.
require_relative 'deposits'
require_relative 'club'

def handle(_path, body)
  cups = body.fetch('cups', 0).to_i
  bottles = body.fetch('bottles', 0).to_i
  return { 'ok' => false, 'why' => 'how many?' } if cups.negative? || bottles.negative?

  cents = deposit_for(cups, bottles)
  bonus = body['club'] ? club_bonus(cents) : 0
  total = cents + bonus
  {
    'ok' => true,
    'cents' => total,
    'coins' => coins(total),
    'note' => note(total, bonus)
  }
end

def note(total, bonus)
  return 'thank you' if total.zero?

  bonus.positive? ? "with #{bonus} for the club" : 'well done'
end
