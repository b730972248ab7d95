SHARES = { 'adult' => 1.0, 'child' => 0.5 }.freeze

def share_of(kind)
  SHARES.fetch(kind, 1.0)
end
