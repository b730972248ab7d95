# frozen_string_literal: true

# Lines of an invoice, in the order in which they came.
class Invoice
  Line = Struct.new(:name, :amount)

  attr_reader :lines

  def initialize
    @lines = []
  end

  def add(name, amount)
    return if amount.zero?

    @lines << Line.new(name, amount.round(2))
  end

  def total
    @lines.sum(&:amount).round(2)
  end
end
