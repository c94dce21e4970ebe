#pragma once
#include <QLayout>
#include <QList>

namespace ilumbra {

/// Items side by side, onto the next line when there is no room.
class FlowLayout : public QLayout {
 public:
  explicit FlowLayout(QWidget* parent, int gap = 5) : QLayout(parent), m_gap(gap) { setContentsMargins(0, 0, 0, 0); }
  ~FlowLayout() override {
    while (QLayoutItem* i = takeAt(0)) delete i;
  }
  void addItem(QLayoutItem* i) override { m_items.append(i); }
  int count() const override { return int(m_items.size()); }
  QLayoutItem* itemAt(int i) const override { return m_items.value(i); }
  QLayoutItem* takeAt(int i) override { return i >= 0 && i < m_items.size() ? m_items.takeAt(i) : nullptr; }
  Qt::Orientations expandingDirections() const override { return {}; }
  bool hasHeightForWidth() const override { return true; }
  int heightForWidth(int w) const override { return place(QRect(0, 0, w, 0), false); }
  QSize sizeHint() const override { return minimumSize(); }
  QSize minimumSize() const override {
    QSize s;
    for (const QLayoutItem* i : m_items) s = s.expandedTo(i->minimumSize());
    return s;
  }
  void setGeometry(const QRect& r) override {
    QLayout::setGeometry(r);
    place(r, true);
  }

 private:
  int place(const QRect& r, bool apply) const {
    int x = r.x(), y = r.y(), row = 0;
    for (QLayoutItem* i : m_items) {
      const QSize s = i->sizeHint();
      if (x + s.width() > r.right() + 1 && row > 0) {
        x = r.x();
        y += row + m_gap;
        row = 0;
      }
      if (apply) i->setGeometry(QRect(QPoint(x, y), QSize(std::min(s.width(), r.width()), s.height())));
      x += s.width() + m_gap;
      row = std::max(row, s.height());
    }
    return y + row - r.y();
  }
  QList<QLayoutItem*> m_items;
  int m_gap;
};

} // namespace ilumbra
