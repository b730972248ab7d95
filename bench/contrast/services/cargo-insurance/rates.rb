# frozen_string_literal: true

# Tables of the office.
module Rates
  BASE = { 'oil' => 40, 'salt' => 25, 'fish' => 30 }.freeze
  RISK = { 'oil' => 0.05, 'fish' => 0.08 }.freeze

  def self.base(goods)
    BASE.fetch(goods)
  end

  def self.risk(goods)
    RISK.fetch(goods, 0.03)
  end

  def self.trouble_with(goods, value)
    return 'we do not take that' unless BASE.key?(goods)

    'what is it worth?' unless value.to_i.positive?
  end
end
