# frozen_string_literal: true

# Invoices of groups, made step by step.
require_relative 'invoice'
require_relative 'steps'

def handle(_path, body)
  order = read_order(body)
  return { 'ok' => false, 'why' => 'no seats' } if order[:seats] < 1

  invoice = Invoice.new
  STEPS.each { |step| send(step, invoice, order) }
  {
    'ok' => true,
    'lines' => invoice.lines.map { |line| "#{line.name} #{line.amount}" },
    'total' => invoice.total,
    'due' => due(invoice.total)
  }
end

def read_order(body)
  {
    seats: body['seats'].to_i,
    each: body['each'].to_f,
    meals: body.fetch('meals', 0).to_i
  }
end

def due(total)
  total > 150 ? 'in two parts' : 'at once'
end
