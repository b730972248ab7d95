# frozen_string_literal: true

# What goes into the hold, in which order, and what must be written about it.
require_relative 'rules'
require_relative 'hold'

def handle(_path, body)
  items = body['items'].map { |item| { kind: item['kind'], tons: item['tons'].to_f } }
  unknown = items.map { |item| item[:kind] }.reject { |kind| known?(kind) }
  return { 'ok' => false, 'why' => "nobody knows #{unknown.first}" } unless unknown.empty?

  tons = items.sum { |item| item[:tons] }
  return { 'ok' => false, 'why' => 'too heavy' } if tons > HOLD

  placed = items.map { |item| place(item) }
  {
    'ok' => true,
    'tons' => tons,
    'places' => placed.map { |one| "#{one[:kind]} in #{one[:place]}" },
    'papers' => papers(placed)
  }
end

def papers(placed)
  list = ['manifest']
  list << 'danger sheet' if placed.any? { |one| one[:dangerous] }
  list << 'weights' if placed.size > 1
  list
end
