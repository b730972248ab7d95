# frozen_string_literal: true

# Boxes for a picnic, ordered in words.
require_relative 'parser'
require_relative 'kitchen'

def handle(_path, body)
  lines = parse(body['order'].to_s)
  unknown = lines.reject { |line| BOXES.key?(line.name) }
  return { 'ok' => false, 'why' => "no #{unknown.first.name}" } unless unknown.empty?

  total = lines.sum { |line| BOXES[line.name] * line.count }
  boxes = lines.sum(&:count)
  {
    'ok' => true,
    'boxes' => boxes,
    'total' => total,
    'ready' => ready_in(boxes),
    'label' => label(lines)
  }
end

def label(lines)
  return 'nothing' if lines.empty?

  lines.map { |line| "#{line.count} #{line.name}" }.join(', ')
end
