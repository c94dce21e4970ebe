#pragma once
#include "app/theme.h"
#include "app/viewport/thing_drag.h"

#include <QMouseEvent>
#include <QPainter>
#include <QStyledItemDelegate>
#include <QTreeWidget>

namespace ilumbra {

// The lists of things: how a line is painted, and what is carried from them and onto them.

inline constexpr int idRole = Qt::UserRole, sideRole = Qt::UserRole + 1, toneRole = Qt::UserRole + 2,
                     lampRole = Qt::UserRole + 3;

// What the switch of a lamp shows; by lampRole.
enum Lamp { NoLamp, LampOn, LampOff, LampUnheard };
inline constexpr int lampWidth = 26;

// A line of the list: an edge in the accent when selected, the name, and to the right a word or a share.
class ThingDelegate : public QStyledItemDelegate {
 public:
  using QStyledItemDelegate::QStyledItemDelegate;
  QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex& i) const override {
    return {100, i.data(idRole).toUInt() ? 25 : 26};
  }
  void paint(QPainter* p, const QStyleOptionViewItem& o, const QModelIndex& i) const override {
    const bool head = !i.data(idRole).toUInt();
    const bool selected = o.state & QStyle::State_Selected;
    const QRect r = o.rect;
    if (selected) {
      p->fillRect(QRect(0, r.top(), r.right() + 1, r.height()), theme::selected);
      p->fillRect(QRect(0, r.top(), 3, r.height()), theme::accent);
    } else if (o.state & QStyle::State_MouseOver && !head) {
      p->fillRect(QRect(0, r.top(), r.right() + 1, r.height()), theme::raised);
    }
    if (const int lamp = i.data(lampRole).toInt()) {
      p->setRenderHint(QPainter::Antialiasing);
      p->setPen(QPen(lamp == LampOn ? theme::accent : theme::faint, 1.2));
      p->setBrush(lamp == LampOn ? QBrush(theme::accent) : Qt::NoBrush);
      const QPointF at(r.right() - 0.5 * lampWidth, r.center().y() + 0.5);
      p->drawEllipse(at, 3.5, 3.5);
      if (lamp == LampUnheard) p->drawLine(at - QPointF(6, 0), at + QPointF(6, 0));
    }
    const QString side = i.data(sideRole).toString();
    p->setFont(theme::font(11));
    const int sideWidth = side.isEmpty() ? 0 : p->fontMetrics().horizontalAdvance(side) + 8;
    p->setPen(i.data(toneRole).value<QColor>().isValid() ? i.data(toneRole).value<QColor>() : theme::dim);
    p->drawText(r.adjusted(0, 0, i.data(lampRole).toInt() ? -lampWidth : -12, 0), Qt::AlignRight | Qt::AlignVCenter,
                side);
    p->setFont(theme::font(12, head ? 500 : 500));
    p->setPen(head ? theme::dim : theme::text);
    p->drawText(
        r.adjusted(12, 0, -12 - sideWidth, 0), Qt::AlignLeft | Qt::AlignVCenter,
        p->fontMetrics().elidedText(i.data().toString(), Qt::ElideRight,
                                    r.width() - 24 - sideWidth - (i.data(lampRole).toInt() ? lampWidth - 12 : 0)));
  }
};

// A list from which things can be carried to a role.
class ThingTree : public QTreeWidget {
 public:
  using QTreeWidget::QTreeWidget;
  std::function<void(NodeId)> lampPressed;
  std::function<void(const std::vector<NodeId>&, NodeId)> dropped;

 protected:
  void mousePressEvent(QMouseEvent* e) override {
    const QTreeWidgetItem* i = itemAt(e->pos());
    if (i && e->button() == Qt::LeftButton && i->data(0, lampRole).toInt() &&
        e->pos().x() > viewport()->width() - lampWidth)
      return lampPressed(i->data(0, idRole).toUInt());
    QTreeWidget::mousePressEvent(e);
  }
  void mouseDoubleClickEvent(QMouseEvent* e) override {
    if (e->pos().x() > viewport()->width() - lampWidth) return mousePressEvent(e);
    QTreeWidget::mouseDoubleClickEvent(e);
  }
  void dragEnterEvent(QDragEnterEvent* e) override {
    if (e->mimeData()->hasFormat(thingsMime)) e->acceptProposedAction();
  }
  void dragMoveEvent(QDragMoveEvent* e) override {
    const QTreeWidgetItem* i = itemAt(e->position().toPoint());
    const uint onto = i ? i->data(0, idRole).toUInt() : 0;
    const std::vector<NodeId> carried = thingsIn(e->mimeData());
    if (onto && std::find(carried.begin(), carried.end(), onto) == carried.end())
      e->acceptProposedAction();
    else
      e->ignore();
  }
  void dropEvent(QDropEvent* e) override {
    const QTreeWidgetItem* i = itemAt(e->position().toPoint());
    if (const uint onto = i ? i->data(0, idRole).toUInt() : 0; onto && dropped) {
      e->setDropAction(Qt::CopyAction); // the list itself moves nothing
      e->accept();
      dropped(thingsIn(e->mimeData()), onto);
    }
  }
  QStringList mimeTypes() const override { return {thingsMime}; }
  QMimeData* mimeData(const QList<QTreeWidgetItem*>& items) const override {
    QStringList ids;
    for (const QTreeWidgetItem* i : items)
      if (const uint id = i->data(0, idRole).toUInt()) ids << QString::number(id);
    auto* data = new QMimeData;
    data->setData(thingsMime, ids.join(u' ').toUtf8());
    return data;
  }
};

} // namespace ilumbra
